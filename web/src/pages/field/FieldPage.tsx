import { useState } from "react";
import { Link, useParams } from "react-router";
import { Problem } from "../../api/client";
import { type FieldPage as Found, fieldAddress, useField } from "../../api/field";
import { useTitle } from "../../app/head";
import { LeafRow } from "../../app/LeafRow";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { ShareScale, ShareStrip } from "../../charts/ShareStrip";
import { Word } from "../../figures/Word";
import {
  Box,
  Cell,
  Halves,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleLink,
  TitleRow,
  Wide,
} from "../../kit";
import { BorrowLeaf } from "./BorrowLeaf";
import { FieldFilters, useFieldAsked } from "./filters";
import { LabelAccount } from "./LabelAccount";
import { MovesLeaf } from "./MovesLeaf";
import { SettingsForm } from "./SettingsForm";

/** Nothing has come in: how it does. */
const Unsent = ({ book, own }: { book: string; own: boolean }) => (
  <Empty title={own ? "The team's own devices have sent nothing yet" : "No session has come in yet"}>
    <p>
      A key that lets in sessions and opens nothing else is issued in{" "}
      <Link to={`/${book}/book`}>the book</Link>. The program sends what its frames were like, by place and
      tier, with one small file: <code>emitters/js/vigilant_field.js</code> in a page or Node.
    </p>
    <code>
      {'const field = new FieldSender({ server, key: "vl_…", build: "river 41", device, consent });'}
    </code>
    <br />
    <code>field.frame(frameMs, {"{ processor, graphics }"});</code>
  </Empty>
);

function Classes({ page, search }: { page: Found; search: string }) {
  const { book = "" } = useParams();
  return (
    <Wide aria-label="Classes of devices">
      <Table aria-label="Classes of devices">
        <TableHead>
          <TableRow>
            <Cell>
              <Word of="deviceClass">Class</Word>
            </Cell>
            <Cell align="right">
              <Word of="lateMinutes">Late minutes</Word>
            </Cell>
            <Cell align="right">Late share</Cell>
            <Cell>95 % interval</Cell>
            <Cell wide sx={{ padding: 0 }}>
              <ShareScale goal={page.goal} />
            </Cell>
            <Cell>Stands</Cell>
            <Cell wide>What limits it</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {page.rows.map((row) => (
            <TableRow key={row.id}>
              <Cell>
                <TitleLink to={`/${book}/field/classes/${row.id}${search}`}>{row.name}</TitleLink>
                <Text as="div" small tone="faded">
                  {row.sessions.toLocaleString("en-GB")} sessions
                </Text>
              </Cell>
              <Cell align="right" nowrap>
                <b>{row.late_said}</b>
                <Text as="div" small tone="faded">
                  of {row.play_said}
                </Text>
              </Cell>
              <Cell align="right" nowrap>
                {row.share_said}
              </Cell>
              <Cell nowrap>{row.interval_said}</Cell>
              <Cell wide sx={{ padding: 0 }}>
                <ShareStrip
                  share={row.share}
                  low={row.low}
                  high={row.high}
                  goal={page.goal}
                  said={`${row.share_said} late (${row.interval_said}), ${row.standing_said}`}
                />
              </Cell>
              <Cell>
                {row.standing === "over" ? <b>{row.standing_said}</b> : row.standing_said}
                {row.over_said && (
                  <Text as="div" small tone="faded" wide>
                    {row.over_said}
                  </Text>
                )}
              </Cell>
              <Cell wide>
                {row.limits_said}
                {row.notes.map((note) => (
                  <Text as="div" small tone="faded" key={note}>
                    {note}
                  </Text>
                ))}
              </Cell>
            </TableRow>
          ))}
          {page.folded && (
            <TableRow>
              <Cell colSpan={7} tone="faded">
                {page.folded}
              </Cell>
            </TableRow>
          )}
        </TableBody>
      </Table>
    </Wide>
  );
}

function HeldAgainst({ page }: { page: Found }) {
  const found = page.compared;
  if (!found) return null;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        {page.build} against {page.against}
      </h2>
      <Text>
        <b>{found.said}</b>
      </Text>
      {found.crude && (
        <Table aria-label={`${page.build} against ${page.against}`} sx={{ maxWidth: 640 }}>
          <TableBody>
            <TableRow>
              <Cell>In total</Cell>
              <Cell nowrap>{found.crude}</Cell>
            </TableRow>
            <TableRow>
              <Cell>
                <Word of="likeWithLike">Class by class</Word>
              </Cell>
              <Cell nowrap>{found.alike || "nothing to hold against each other"}</Cell>
            </TableRow>
          </TableBody>
        </Table>
      )}
      <Text small tone="faded" sx={{ marginTop: 4 }}>
        {found.mix} {found.dealt}
      </Text>
    </Box>
  );
}

/** Histograms that come by OTLP: in their own bounds, and so without intervals. */
function Others({ of }: { of: Found["others"] }) {
  if (of.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>From other senders</h2>
      <Wide aria-label="From other senders">
        <Table aria-label="From other senders">
          <TableHead>
            <TableRow>
              <Cell>Build</Cell>
              <Cell>Metric</Cell>
              <Cell>About</Cell>
              <Cell align="right">Frames</Cell>
              <Cell>Late</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {of.map((row) => (
              <TableRow key={`${row.build} ${row.metric} ${row.about}`}>
                <Cell>{row.build}</Cell>
                <Cell>{row.metric}</Cell>
                <Cell>{row.about}</Cell>
                <Cell align="right">{row.frames.toLocaleString("en-GB")}</Cell>
                <Cell>{row.said}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </Box>
  );
}

/** Classes of devices, what goes with lateness, and how sessions end. */
function Minutes({ page, search }: { page: Found; search: string }) {
  return (
    <>
      <Sentence>{page.sentence}</Sentence>
      <Classes page={page} search={search} />
      <HeldAgainst page={page} />
      <Halves sx={{ marginTop: 18 }}>
        {page.left && (
          <section>
            <h2>
              <Word of="leftEarly">Left early</Word>
            </h2>
            <Text>{page.left.said}</Text>
            {page.left.endings.length > 0 && (
              <Text small tone="faded" sx={{ marginTop: 4 }}>
                Sessions ended{" "}
                {page.left.endings.map((e) => `${e.how} ${e.sessions.toLocaleString("en-GB")}`).join(", ")}.
              </Text>
            )}
          </section>
        )}
        {page.labels && <LabelAccount of={page.labels} />}
      </Halves>
    </>
  );
}

const LEAVES = [
  ["", "Where minutes are lost"],
  ["moves", "Moves"],
  ["borrow", "Borrow"],
] as const;
const TITLES = { "": "Where minutes are lost", moves: "Moves", borrow: "Borrow" };

/** The field, cut by what is decided: where minutes are lost, which tiers to move, which devices to borrow. */
export default function FieldPage() {
  const { book = "", leaf: named = "" } = useParams();
  const { asked, choose, search } = useFieldAsked();
  const query = useField(book, asked);
  const [setting, setSetting] = useState(false);
  const may = useMay();
  const leaf = LEAVES.find(([own]) => own === named)?.[0];
  useTitle(leaf === undefined ? "Field" : `Field: ${TITLES[leaf]}`);
  const page = query.data;
  if (leaf === undefined) return <Failure error={new Problem(404, "not-found", "")} />;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the field" />;
  return (
    <article>
      <TitleRow>
        <PageTitle>Field</PageTitle>
        <Text tone="faded" sx={{ fontSize: 13 }}>
          {page.waiting > 0 && `${page.waiting.toLocaleString("en-GB")} sessions are being counted. `}
          {page.builds.length > 0 && (
            <>
              <a href={fieldAddress(book, leaf || "minutes", asked)} download>
                CSV
              </a>
              {". "}
            </>
          )}
          {asked.own && page.builds.length > 0 && (
            <>
              <Link to={`/${book}/field/ready?build=${encodeURIComponent(page.build)}`}>
                Is {page.build} ready to be sent out?
              </Link>{" "}
            </>
          )}
          {may.write && <TextButton onClick={() => setSetting(true)}>Goal and classes</TextButton>}
        </Text>
      </TitleRow>
      {page.builds.length === 0 ? (
        <>
          <Unsent book={book} own={asked.own} />
          {asked.own && <TextButton onClick={() => choose("own", "")}>What players' devices sent</TextButton>}
        </>
      ) : (
        <>
          <LeafRow
            leaves={LEAVES}
            at={`/${book}/field`}
            open={leaf}
            label="Leaves of the field"
            search={search}
          />
          <FieldFilters page={page} asked={asked} choose={choose} leaf={leaf} />
          {leaf === "" && <Minutes page={page} search={search} />}
          {leaf === "moves" && <MovesLeaf book={book} asked={asked} />}
          {leaf === "borrow" && <BorrowLeaf book={book} asked={asked} />}
        </>
      )}
      <Others of={page.others} />
      {page.refused.length > 0 && (
        <Text small tone="faded" sx={{ marginTop: 12 }}>
          Turned away: {page.refused.join("; ")}.
        </Text>
      )}
      {setting && <SettingsForm book={book} goals={page.goals} close={() => setSetting(false)} />}
    </article>
  );
}
