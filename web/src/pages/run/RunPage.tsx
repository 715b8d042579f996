import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Run } from "../../api/client";
import { useRun } from "../../api/queries";
import { day } from "../../app/days";
import { useHead, useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { Box, Command, PageTitle, RunColumns, Text, TextButton } from "../../kit";
import { SetAside } from "../runs/SetAside";
import { FactList, RunFigures } from "./RunFigures";
import { TraceView } from "./TraceView";

/** What a run is taken out as; each holds it bit for bit. */
const KINDS = [
  ["frames", "frames"],
  ["csv", "CSV"],
  ["json", "JSON"],
  ["parquet", "Parquet"],
  ["arrow", "Arrow"],
] as const;

/** One run: its frames over time, its figures, and under what conditions it was recorded. */
export default function RunPage() {
  const { book = "", id = "" } = useParams();
  const query = useRun(id);
  const run = query.data;
  useHead(run ? { ...run, target_fps: run.target_fps ?? null } : null);
  useTitle(run && `Run of ${run.build}`);
  const may = useMay();
  const [setting, setSetting] = useState(false);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!run) return <Loading what="the run" />;
  const used = run.used_in[0];
  return (
    <article>
      <Box sx={{ display: "flex", gap: 16, alignItems: "baseline", flexWrap: "wrap", marginBottom: 6 }}>
        <PageTitle>
          {used ? `Run ${used.position + 1} of entry ${used.entry}, ${used.arm}` : run.build}
        </PageTitle>
        <Text as="span" tone="faded">
          {run.caption}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto", display: "flex", gap: 14 }}>
          {used && <Link to={`/${book}/entries/${used.entry}`}>{used.title}</Link>}
          {may.write && run.state === "complete" && (
            <TextButton faded onClick={() => setSetting(true)}>
              {run.aside ? "take back" : "set aside"}
            </TextButton>
          )}
          {run.frames > 0 && !run.thinned_at && (
            <span>
              take out as{" "}
              {KINDS.map(([kind, said], i) => (
                <span key={kind}>
                  {i > 0 && ", "}
                  <a href={`/api/runs/${run.id}/frames/?as=${kind}`} download>
                    {said}
                  </a>
                </span>
              ))}
            </span>
          )}
        </Box>
      </Box>
      {run.outcome !== "complete" && (
        <Text tone="spent" role="status" sx={{ marginBottom: 8 }}>
          This run did not complete: {run.outcome}
          {run.detail && `, ${run.detail}`}. It enters no arm.
        </Text>
      )}
      {run.from_file && <FromFile book={book} from={run.from_file} />}
      {run.aside && (
        <Text tone="spent" role="status" sx={{ marginBottom: 8 }}>
          Set aside: {run.aside}
        </Text>
      )}
      {setting && (
        <SetAside book={book} runs={[run.id]} aside={run.aside === ""} close={() => setSetting(false)} />
      )}
      {run.output_tail && (
        <Box component="details" sx={{ marginBottom: 8 }}>
          <summary>the end of the subject's output</summary>
          <Command>{run.output_tail}</Command>
        </Box>
      )}
      {run.thinned_at ? (
        <FiguresAlone run={run} at={run.thinned_at} />
      ) : run.frames ? (
        <TraceView key={run.id} run={run} />
      ) : (
        <Empty title="This run holds no frame">
          <p>Its outcome and place in the order are kept; record again to fill it.</p>
        </Empty>
      )}
    </article>
  );
}

/** A run whose frames went by a rule of the book. */
const FiguresAlone = ({ run, at }: { run: Run; at: string }) => (
  <>
    <Text role="status" sx={{ marginBottom: 10, maxWidth: 720 }}>
      Its {run.frames.toLocaleString("en-GB")} frames went on {day(at)}, by a rule of the book. These figures
      were computed from them before; nothing of them can be drawn, taken out or compared any more.
    </Text>
    <RunColumns>
      <section>
        <RunFigures whole={run.rows} />
      </section>
      <section>
        <h2>Conditions</h2>
        <FactList facts={run.conditions} />
      </section>
    </RunColumns>
  </>
);

/** The file that a run was brought in from: as it came, and what was left out of it. */
function FromFile({ book, from }: { book: string; from: NonNullable<Run["from_file"]> }) {
  const left = from.left_out.length;
  return (
    <Text size={13} tone="faded" sx={{ marginBottom: 8 }}>
      Brought in from{" "}
      <a href={`/api/books/${book}/files/${from.file}/content/`} download>
        {from.folder && `${from.folder}/`}
        {from.name}
      </a>
      , SHA-256 <span title={from.sha256}>{from.sha256.slice(0, 12)}…</span>
      {left > 0 &&
        `; ${left} ${left === 1 ? "line was" : "lines were"} left out, the first at line ${from.left_out[0]?.line}: ${from.left_out[0]?.reason}`}
      .
    </Text>
  );
}
