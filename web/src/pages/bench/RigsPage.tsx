import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useGiveBack, useRigs } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { moment, span } from "../../app/days";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading, Refused } from "../../app/states";
import { SmallLine } from "../../charts/SmallLine";
import {
  Asks,
  Box,
  Cell,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleRow,
  type Tone,
} from "../../kit";
import { ReserveForm } from "./ReserveForm";

type Rig = Schemas["RigLine"];
const TONES: Partial<Record<NonNullable<Rig["drift"]>["state"], Tone>> = { slower: "spent", faster: "saved" };

/** The rigs that this book is recorded on: who stands by there, whether each still takes as long for the same work, and what waits. */
export default function RigsPage() {
  const { book = "" } = useParams();
  const rigs = useRigs(book);
  const may = useMay();
  const [reserving, setReserving] = useState(false);
  useTitle("Rigs");
  if (rigs.error && !rigs.data) return <Failure error={rigs.error} again={() => rigs.refetch()} />;
  if (rigs.isPending) return <Loading what="the rigs" />;
  return (
    <>
      <TitleRow sx={{ marginBottom: 8 }}>
        <div>
          <PageTitle>Rigs</PageTitle>
          <Text tone="faded" size={13} sx={{ maxWidth: 760 }}>
            Each recording times one small piece of known work on its rig first. A rig that takes longer for
            it than before has changed: what is recorded on it now is no fair match for what was recorded
            then.
          </Text>
        </div>
        <Box sx={{ display: "flex", gap: 16, alignItems: "baseline", whiteSpace: "nowrap" }}>
          {may.write && rigs.data.length > 0 && (
            <Button onClick={() => setReserving(true)}>Reserve a rig</Button>
          )}
          <Link to={`/${book}/bench`}>The bench</Link>
        </Box>
      </TitleRow>
      {rigs.data.length === 0 ? (
        <Empty title="No rig is known yet">
          <p>
            A rig appears here when something is recorded on it, or when a recorder stands by with its name.
          </p>
        </Empty>
      ) : (
        <Table aria-label="Rigs">
          <TableHead>
            <TableRow>
              <Cell>Rig</Cell>
              <Cell>Recorder, and whose it is</Cell>
              <Cell>Calibration load</Cell>
              <Cell align="right" wide>
                Runs
              </Cell>
              <Cell wide>Waits for it</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rigs.data.map((rig) => (
              <Row key={rig.alias} book={book} rig={rig} />
            ))}
          </TableBody>
        </Table>
      )}
      {reserving && (
        <ReserveForm book={book} rigs={rigs.data.map((rig) => rig.alias)} close={() => setReserving(false)} />
      )}
    </>
  );
}

function Row({ book, rig }: { book: string; rig: Rig }) {
  const facts = Object.entries(rig.facts).map(([name, value]) => `${name} ${value}`);
  const last = rig.timings.at(-1);
  return (
    <TableRow sx={{ verticalAlign: "top" }}>
      <Cell strong>
        {rig.alias}
        {facts.length > 0 && (
          <Text size={12} tone="faded" sx={{ fontWeight: 400, maxWidth: 220 }}>
            {facts.join(", ")}
          </Text>
        )}
      </Cell>
      <Cell>
        <Recorder book={book} rig={rig} />
        <Reserved book={book} rig={rig} />
      </Cell>
      <Cell>
        {last && (
          <SmallLine
            label={`Its timings, the newest ${last.ms.toFixed(2)} ms`}
            width={150}
            least={0.1 * last.ms}
            points={rig.timings.map((timing, x) => ({ x, value: timing.ms, stretch: 0 }))}
          />
        )}
        <Text size={13} tone={rig.drift ? TONES[rig.drift.state] : "faded"} sx={{ maxWidth: 380 }}>
          {last && `${last.ms.toFixed(2)} ms on ${moment(last.at)}; `}
          {rig.said}
        </Text>
      </Cell>
      <Cell align="right" wide nowrap>
        {rig.runs.toLocaleString("en-GB")}
        {rig.recorded_at && (
          <Text size={12} tone="faded">
            the last {moment(rig.recorded_at)}
          </Text>
        )}
      </Cell>
      <Cell wide>
        {rig.waiting.length === 0 && <Text tone="faded">nothing</Text>}
        {rig.waiting.map((recording) => (
          <Text key={recording.id} size={13}>
            <Link to={`/${book}/bench/${recording.id}`}>{recording.title || "a recording"}</Link>
            {recording.held_by && (
              <Text size={12} tone="faded">
                after {moment(recording.held_by.ends_at)}: until then it is {recording.held_by.by}’s
              </Text>
            )}
          </Text>
        ))}
      </Cell>
    </TableRow>
  );
}

/** Whose it is and when; what others asked of it waits then. */
function Reserved({ book, rig }: { book: string; rig: Rig }) {
  const back = useGiveBack(book);
  const may = useMay();
  return (
    <>
      {rig.reserved.map((one) => (
        <Text key={one.id} size={13} sx={{ marginTop: 4, maxWidth: 260 }}>
          <b>{one.mine ? "yours" : `${one.by}’s`}</b> {span(one.begins_at, one.ends_at)}
          {one.why && `: ${one.why}`}{" "}
          {(one.mine || may.own) && (
            <Asks
              text
              label="give it back"
              aria-label={`give it back: ${rig.alias}, ${span(one.begins_at, one.ends_at)}`}
              question={`Give ${rig.alias} back?`}
              said="What waits for it goes on in the order that it was asked for."
              yes="Give it back"
              onYes={() => back.mutate(one.id)}
            />
          )}
        </Text>
      ))}
      <Refused error={back.error} />
    </>
  );
}

function Recorder({ book, rig }: { book: string; rig: Rig }) {
  const { standby, recording } = rig;
  return (
    <>
      {recording ? (
        <Text>
          records <Link to={`/${book}/bench/${recording.id}`}>{recording.title || "a recording"}</Link>
        </Text>
      ) : rig.there ? (
        <Text>stands by</Text>
      ) : (
        <Text tone="faded">
          {standby ? `not heard of since ${moment(standby.seen_at)}` : "none stood by"}
        </Text>
      )}
      {standby && (
        <Text size={12} tone="faded" sx={{ maxWidth: 240 }}>
          {standby.version && `version ${standby.version}; `}
          {standby.subjects.length > 0 ? `starts ${standby.subjects.join(", ")}` : "starts nothing by name"}
        </Text>
      )}
    </>
  );
}
