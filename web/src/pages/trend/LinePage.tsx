import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { type LinePage as Line, lineAddress, useLine } from "../../api/trend";
import { useHead, useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { TrendChart } from "../../charts/TrendChart";
import { Word } from "../../figures/Word";
import {
  Box,
  Cell,
  Choice,
  Halves,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleRow,
  Wide,
} from "../../kit";
import { ClosedAlarm, OpenAlarm } from "./Alarms";
import { FollowForm } from "./FollowForm";

/** The newest build against its line, a figure a row. */
function Newest({ line, shown, choose }: { line: Line; shown: string; choose: (figure: string) => void }) {
  return (
    <section>
      <h2>The newest build</h2>
      <Wide aria-label="The newest build">
        <Table aria-label="The newest build">
          <TableHead>
            <TableRow>
              <Cell>Figure</Cell>
              <Cell align="right">{line.builds.at(-1)}</Cell>
              <Cell>Against its line</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {line.figures.map((f) => (
              <TableRow key={f.figure} selected={f.figure === shown}>
                <Cell nowrap>
                  <TextButton onClick={() => choose(f.figure)}>{f.label}</TextButton>
                </Cell>
                <Cell align="right" nowrap>
                  {f.newest}
                </Cell>
                <Cell strong={f.call !== ""}>
                  {f.change || f.now}
                  {f.missing > 0 && (
                    <Text as="span" tone="faded">
                      {" "}
                      {f.missing} measurements do not have it.
                    </Text>
                  )}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small tone="faded" sx={{ marginTop: 4 }}>
        {line.rate}
      </Text>
    </section>
  );
}

/** What happened over the builds, in their order: events over figures and rigs, breaks, and what was asked before. */
function Happened({ line }: { line: Line }) {
  const told = [
    ...line.events.map((e) => ({ x: e.x, key: `e${e.x}`, said: e.sentence, more: e.elsewhere })),
    ...(line.drawn?.drifts.map((d) => ({
      x: d.first,
      key: `d${d.first}`,
      said: `${d.sentence}.`,
      more: "",
    })) ?? []),
    ...(line.drawn?.breaks.map((b) => ({
      x: b.at,
      key: `b${b.at}`,
      said: `${b.reason}.`,
      more: b.sentence,
    })) ?? []),
  ].sort((a, b) => b.x - a.x);
  const closed = line.alarms.filter((a) => !a.open);
  return (
    <section>
      <h2>What happened</h2>
      {told.length === 0 && closed.length === 0 && <Text tone="faded">Nothing that lasts, so far.</Text>}
      <Box component="ul" sx={{ margin: "4px 0", paddingLeft: 16 }}>
        {told.map((one) => (
          <li key={one.key}>
            {one.said.replace(/^./, (c) => c.toUpperCase())}{" "}
            <Text as="span" tone="faded">
              {one.more}
            </Text>
          </li>
        ))}
        {closed.map((alarm) => (
          <ClosedAlarm key={alarm.id} alarm={alarm} />
        ))}
      </Box>
    </section>
  );
}

/** One scenario's line over builds on one rig. */
export default function LinePage() {
  const { book = "", scenario = "", rig = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const may = useMay();
  const [following, setFollowing] = useState(false);
  const chain = /^\d+$/.test(search.get("chain") ?? "") ? Number(search.get("chain")) : null;
  const query = useLine(book, {
    scenario: Number(scenario) || 0,
    rig: Number(rig) || 0,
    figure: search.get("of") ?? "",
    chain,
  });
  const line = query.data;
  useHead(
    line
      ? {
          scenario: line.scenario.name,
          version: line.version,
          rig: line.rig,
          target_fps: line.target_fps,
          budget_ms: line.budget_ms,
        }
      : null,
  );
  useTitle(line && `Trend: ${line.scenario.name} on ${line.rig}`);
  if (query.error && !line) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!line) return <Loading what="the line" />;
  const choose = (figure: string) => {
    const next = new URLSearchParams(search);
    next.set("of", figure);
    setSearch(next, { replace: true });
  };
  const { drawn } = line;
  const shown = line.figures.find((f) => f.figure === drawn?.figure);
  const here = `${line.rig_id}-${line.chain}`;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>
            {line.scenario.name} on {line.rig}
          </PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            <Word of="line">Line</Word> over {line.builds.length} builds.{" "}
            <Link to={`/${book}/trend`}>All lines</Link>,{" "}
            <Link to={`/${book}/trend/order`}>the order of builds</Link>,{" "}
            <a href={lineAddress(book, line.scenario.id, line.rig_id, line.chain, "csv")} download>
              CSV
            </a>
            ,{" "}
            <a href={lineAddress(book, line.scenario.id, line.rig_id, line.chain, "json")} download>
              JSON
            </a>
            {may.write && (
              <>
                {". "}
                <TextButton onClick={() => setFollowing(true)}>How closely it is followed</TextButton>
              </>
            )}
          </Text>
        </div>
        <Box sx={{ display: "flex", gap: 10, flexWrap: "wrap" }}>
          {line.others.length > 0 && (
            <Choice
              aria-label="Rig"
              value={here}
              onChange={(e) => {
                const [to, of] = e.target.value.split("-");
                navigate(`/${book}/trend/${line.scenario.id}/${to}?chain=${of}`);
              }}
            >
              <option value={here}>
                {line.rig}, {line.builds.length} builds
              </option>
              {line.others.map((o) => (
                <option key={`${o.rig_id}-${o.chain}`} value={`${o.rig_id}-${o.chain}`}>
                  {o.rig}, {o.builds} builds to {o.newest}
                </option>
              ))}
            </Choice>
          )}
          <Choice aria-label="Figure" value={drawn?.figure ?? ""} onChange={(e) => choose(e.target.value)}>
            {[...line.figures, ...line.also].map((f) => (
              <option key={f.figure} value={f.figure}>
                {f.label}
              </option>
            ))}
          </Choice>
        </Box>
      </TitleRow>
      {line.alarms
        .filter((a) => a.open)
        .map((alarm) => (
          <OpenAlarm key={alarm.id} alarm={alarm} />
        ))}
      {shown && <Sentence>{shown.sentence}</Sentence>}
      {drawn ? (
        <TrendChart
          line={drawn}
          label={`${drawn.label} over builds, in ${drawn.unit || "its unit"}. ${shown?.sentence ?? ""}`}
          budget={drawn.unit === "ms" ? line.budget_ms : null}
          alarms={line.alarms}
        />
      ) : (
        <Text tone="faded">{line.unfollowed || "No run of this line has a figure that is followed."}</Text>
      )}
      <Halves>
        <Happened line={line} />
        <Newest line={line} shown={drawn?.figure ?? ""} choose={choose} />
      </Halves>
      {[
        drawn?.shifted
          ? "Earlier set-ups are drawn where the newest one would have them; the table has them as measured."
          : "",
        ...(drawn?.notes ?? []),
        drawn ? line.unfollowed : "",
        line.left_out,
      ]
        .filter(Boolean)
        .map((note) => (
          <Text key={note} small tone="faded" sx={{ marginTop: 4 }}>
            {note}
          </Text>
        ))}
      {following && (
        <FollowForm
          book={book}
          scenario={line.scenario}
          following={line.following}
          close={() => setFollowing(false)}
        />
      )}
    </article>
  );
}
