import type { UseQueryResult } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { type ClassPage as Found, useClass, useFieldSettings, useModel } from "../../api/field";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { ShareScale, ShareStrip } from "../../charts/ShareStrip";
import { Cell, Halves, PageTitle, Pile, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";
import { useFieldAsked } from "./filters";

/** Where a scenario, and a plan of it, is begun with what the field shows: its place as a leg, its tier as conditions, on the rig
 * that is named as the class. */
function reproduced(book: string, named: string, rig: string, row: Found["cells"][number]) {
  const sheet = [`tier = ${row.tier}`, ...Object.entries(row.settings).map(([k, v]) => `${k} = ${v}`)];
  const plan = new URLSearchParams({
    title: `${named} at ${row.place}, ${row.tier}: as in the field`,
    conditions: sheet.join("\n"),
    ...(rig && { rig }),
  });
  const scenario = new URLSearchParams({
    name: `${named}: ${row.place}`,
    target_fps: String(Math.round(row.target_fps * 100) / 100),
    leg: row.place,
    // biome-ignore lint/suspicious/noThenProperty: the address's own word
    then: plan.toString(),
  });
  return `/${book}/scenarios/write?${scenario}`;
}

interface PlacesProps {
  of: Found["cells"];
  goal: number;
  named: string;
  /** Of a class; of a model none is known. */
  rig: string;
}

function Places({ of, goal, named, rig }: PlacesProps) {
  const { book = "" } = useParams();
  const may = useMay();
  // Of a model the minutes are not counted.
  const minutes = of.some((row) => row.late_minutes !== null);
  return (
    <section>
      <h2>Places and tiers</h2>
      <Wide aria-label="Places and tiers">
        <Table aria-label="Places and tiers">
          <TableHead>
            <TableRow>
              <Cell>Place</Cell>
              <Cell>Tier</Cell>
              <Cell align="right">Sessions</Cell>
              {minutes && <Cell align="right">Late minutes</Cell>}
              <Cell align="right">Late share</Cell>
              <Cell>95 % interval</Cell>
              <Cell wide sx={{ padding: 0 }}>
                <ShareScale goal={goal} width={160} />
              </Cell>
              <Cell />
            </TableRow>
          </TableHead>
          <TableBody>
            {of.map((row) => (
              <TableRow key={`${row.place} ${row.tier}`}>
                <Cell>{row.place}</Cell>
                <Cell nowrap>{row.tier}</Cell>
                <Cell align="right">{row.sessions.toLocaleString("en-GB")}</Cell>
                {row.why ? (
                  <Cell colSpan={minutes ? 5 : 4} tone="faded">
                    {row.why}: nothing is shown
                  </Cell>
                ) : (
                  <>
                    {minutes && (
                      <Cell align="right">
                        {row.late_minutes?.toLocaleString("en-GB", {
                          maximumFractionDigits: row.late_minutes < 10 ? 1 : 0,
                        })}
                      </Cell>
                    )}
                    <Cell align="right" nowrap>
                      {row.share_said}
                    </Cell>
                    <Cell nowrap>{row.interval_said}</Cell>
                    <Cell wide sx={{ padding: 0 }}>
                      <ShareStrip
                        share={row.share ?? 0}
                        low={row.low}
                        high={row.high}
                        goal={goal}
                        width={160}
                        said={`${row.share_said} late (${row.interval_said})`}
                      />
                    </Cell>
                    <Cell nowrap>
                      {may.write && <Link to={reproduced(book, named, rig, row)}>reproduce this</Link>}
                    </Cell>
                  </>
                )}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </section>
  );
}

const P: Record<string, string> = { "0.5": "median", "0.95": "95th percentile", "0.99": "99th percentile" };

/** One class of devices: its places and tiers, how long its frames are, its models, memory and load time. */
export default function ClassPage() {
  const { book = "", key = "" } = useParams();
  const { asked } = useFieldAsked();
  return <Devices query={useClass(book, Number(key) || 0, asked)} isClass />;
}

/** The same of one model. */
export function ModelPage() {
  const { book = "", key = "" } = useParams();
  const { asked } = useFieldAsked();
  return <Devices query={useModel(book, Number(key) || 0, asked)} />;
}

function Devices({ query, isClass = false }: { query: UseQueryResult<Found>; isClass?: boolean }) {
  const { book = "" } = useParams();
  const { search } = useFieldAsked();
  const goal = useFieldSettings(book).data?.goal ?? 0.01;
  const of = query.data;
  useTitle(of && `Field: ${of.name}`);
  if (query.error && !of) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!of) return <Loading what="the class" />;
  return (
    <article>
      <PageTitle>{of.name}</PageTitle>
      <Text tone="faded" sx={{ fontSize: 13 }}>
        {of.sessions.toLocaleString("en-GB")} sessions of {of.build}.{" "}
        <Link to={`/${book}/field${search}`}>All classes</Link>
      </Text>
      {of.hidden ? (
        <Text sx={{ marginTop: 12 }}>Nothing of it is shown: {of.hidden}.</Text>
      ) : (
        <Pile sx={{ marginTop: 10 }}>
          <Places of={of.cells} goal={goal} named={of.name} rig={isClass ? of.name : ""} />
          <Halves>
            <section>
              <h2>Frame time</h2>
              <Table aria-label="Frame time">
                <TableBody>
                  {of.percentiles.map((row) => (
                    <TableRow key={row.p}>
                      <Cell>{P[String(row.p)] ?? row.p}</Cell>
                      <Cell nowrap>{row.said}</Cell>
                      <Cell nowrap>{row.between}</Cell>
                    </TableRow>
                  ))}
                  {of.figures.map((row) => (
                    <TableRow key={row.name}>
                      <Cell>{row.name}</Cell>
                      <Cell nowrap>
                        median {row.median.toLocaleString("en-GB", { maximumFractionDigits: 0 })}
                      </Cell>
                      <Cell nowrap>
                        highest tenth from{" "}
                        {row.highest_tenth.toLocaleString("en-GB", { maximumFractionDigits: 0 })}
                      </Cell>
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
              <Text small tone="faded" sx={{ marginTop: 4 }}>
                Off a histogram, to half a bucket; the interval holds what other such sessions would show,
                buckets and all.
              </Text>
            </section>
            {of.models.length > 0 && (
              <section>
                <h2>Models</h2>
                <Wide aria-label="Models">
                  <Table aria-label="Models">
                    <TableHead>
                      <TableRow>
                        <Cell>Model</Cell>
                        <Cell align="right">Installations</Cell>
                        <Cell align="right">Minutes played</Cell>
                        <Cell align="right">Late share</Cell>
                        <Cell align="right">Late frames</Cell>
                      </TableRow>
                    </TableHead>
                    <TableBody>
                      {of.models.map((row) => (
                        <TableRow key={row.name}>
                          <Cell>
                            <Link to={`/${book}/field/models/${row.id}${search}`}>{row.name}</Link>
                          </Cell>
                          <Cell align="right">{row.installations}</Cell>
                          <Cell align="right">{row.play_said}</Cell>
                          <Cell align="right">{row.share_said}</Cell>
                          <Cell align="right">{row.late_frames.toLocaleString("en-GB")}</Cell>
                        </TableRow>
                      ))}
                    </TableBody>
                  </Table>
                </Wide>
                {of.rest && (
                  <Text small tone="faded">
                    {of.rest}
                  </Text>
                )}
              </section>
            )}
          </Halves>
        </Pile>
      )}
    </article>
  );
}
