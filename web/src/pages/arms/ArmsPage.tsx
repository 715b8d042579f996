import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useArms, useEntries, useJob, useKeepPair } from "../../api/queries";
import { JobProgress } from "../../app/JobProgress";
import { Empty, Failure, Loading } from "../../app/states";
import { commonReach, IntervalStrip } from "../../charts/IntervalStrip";
import { FigureLadder } from "../../figures/FigureLadder";
import { Findings } from "../../figures/Findings";
import { net, place } from "../../figures/places";
import { Stamp } from "../../figures/Stamp";
import { asked, MOST_ARMS, mark, without } from "./address";

type Answer = Schemas["Arms"];

/** The arms by name, the first being what the others are held against; the empty one is told apart. */
function Chosen({ answer, marks }: { answer: Answer | undefined; marks: string[] }) {
  const [search, setSearch] = useSearchParams();
  const change = (values: URLSearchParams) => setSearch(values, { replace: true });
  const empty = search.get("empty");
  return (
    <table className="ruled" aria-label="Arms">
      <thead>
        <tr>
          <th style={{ width: 24 }} />
          <th>Arm</th>
          <th className="right">Runs</th>
          <th className="right wide-only">Frames</th>
          <th className="wide-only">Scenario</th>
          <th className="wide-only">Rig</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {marks.map((text, i) => {
          const arm = answer?.arms[i];
          const told = mark(text);
          return (
            <tr key={text}>
              <td className="right faded">{i + 1}</td>
              <td>
                <b>{arm?.name ?? (told.entry ? `no. ${told.entry} ${told.side}` : "chosen runs")}</b>{" "}
                {String(i) === empty ? (
                  <span className="faded">empty, taken off the others</span>
                ) : (
                  i === 0 &&
                  search.get("against") !== "all" && (
                    <span className="faded">the others are held against it</span>
                  )
                )}
              </td>
              <td className="right">{arm?.runs.length ?? told.runs?.length}</td>
              <td className="right wide-only">{arm?.frames.toLocaleString("en-GB")}</td>
              <td className="wide-only">{arm?.scenario}</td>
              <td className="wide-only">{arm?.rig}</td>
              <td className="nowrap" style={{ textAlign: "right" }}>
                {i > 0 && (
                  <button
                    type="button"
                    className="plain-button small"
                    onClick={() => {
                      const rest = without(search, text);
                      const arms = [text, ...rest.getAll("arm")];
                      rest.delete("arm");
                      for (const a of arms) rest.append("arm", a);
                      change(rest);
                    }}
                  >
                    put first
                  </button>
                )}{" "}
                <button
                  type="button"
                  className="plain-button small"
                  onClick={() => change(without(search, text))}
                >
                  leave out
                </button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Another arm: a side of an entry, or single runs. */
function Another({ book }: { book: string }) {
  const [search, setSearch] = useSearchParams();
  const entries = useEntries(book, "");
  const recorded = entries.data?.pages.flatMap((p) => p.results).filter((e) => e.verdict) ?? [];
  const taken = new Set(search.getAll("arm"));
  const offered = recorded
    .flatMap((e) => (["before", "after"] as const).map((side) => ({ e, side, text: `${e.number}.${side}` })))
    .filter((o) => !taken.has(o.text));
  if (taken.size >= MOST_ARMS) return <span className="faded small">{MOST_ARMS} arms are the most.</span>;
  return (
    <>
      <select
        className="find-field"
        style={{ maxWidth: "100%" }}
        aria-label="Another arm"
        value=""
        onChange={(e) => {
          const next = new URLSearchParams(search);
          next.append("arm", e.target.value);
          next.delete("pair");
          setSearch(next, { replace: true });
        }}
      >
        <option value="">another arm from an entry …</option>
        {offered.map(({ e, side, text }) => (
          <option key={text} value={text}>
            no. {e.number} {side}: {e.title}
          </option>
        ))}
      </select>
      {entries.hasNextPage && (
        <button type="button" className="plain-button small" onClick={() => entries.fetchNextPage()}>
          older entries
        </button>
      )}
      <Link to={`/${book}/runs?${new URLSearchParams(search).toString()}`}>or from single runs</Link>
    </>
  );
}

/** The places that significant differences leave each arm, an arm a row and a primary a column. */
function Places({ answer }: { answer: Answer }) {
  const figures = [...new Set(answer.ranks.map((r) => r.figure))];
  const names = answer.arms.map((a) => a.name).filter((n) => answer.ranks.some((r) => r.arm === n));
  if (figures.length === 0 && answer.net.length === 0) return null;
  const own = new Map(answer.net.map((n) => [n.arm, n]));
  return (
    <section style={{ marginTop: 18 }}>
      <h3>Places</h3>
      <table className="ruled" aria-label="Places">
        <thead>
          <tr>
            <th>Arm</th>
            {figures.map((f) => (
              <th key={f} className="right">
                {f}
              </th>
            ))}
            {own.size > 0 && <th className="right">Mean frame, net of the empty arm</th>}
          </tr>
        </thead>
        <tbody>
          {(names.length > 0 ? names : [...own.keys()]).map((name) => {
            const left = own.get(name);
            return (
              <tr key={name}>
                <td>{name}</td>
                {figures.map((f) => {
                  const rank = answer.ranks.find((r) => r.figure === f && r.arm === name);
                  return (
                    <td key={f} className="right">
                      {rank && place(rank)}
                    </td>
                  );
                })}
                {own.size > 0 && <td className="right">{left && net(left)}</td>}
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="small faded" style={{ marginTop: 6 }}>
        1 is the best. A range is what the significant differences leave open; all pairs of a figure count
        together.
      </p>
    </section>
  );
}

function Pairs({ answer, book }: { answer: Answer; book: string }) {
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const keep = useKeepPair(book);
  const writing = useJob(keep.data);
  const written = writing?.result?.number;
  const client = useQueryClient();
  useEffect(() => {
    if (written === undefined) return;
    void client.invalidateQueries({ queryKey: ["book", book] });
    navigate(`/${book}/entries/${written}`);
  }, [written, book, client, navigate]);
  const key = (p: Answer["pairs"][number]) => `${p.before}-${p.after}`;
  const chosen = answer.pairs.find((p) => key(p) === search.get("pair")) ?? answer.pairs[0];
  const strips = answer.pairs.flatMap((p) => {
    const mean = p.result.figures.mean_ms;
    return mean ? [{ strip: mean, higherIsBetter: false }] : [];
  });
  const reach = commonReach(strips);
  const name = (i: number) => answer.arms[i]?.name ?? "";
  if (!chosen) return null;
  return (
    <>
      <table className="ruled" aria-label="Pairs" style={{ marginTop: 14 }}>
        <thead>
          <tr>
            <th className="before">◇ Before</th>
            <th className="after">◆ After</th>
            <th className="wide-only">Mean frame: ← saved, spent →</th>
            <th className="right">Saved ms</th>
            <th className="right">Spent ms</th>
            <th>Verdict</th>
          </tr>
        </thead>
        <tbody>
          {answer.pairs.map((p) => {
            const mean = p.result.figures.mean_ms;
            const judged = p.result.verdict !== "void";
            return (
              <tr
                key={key(p)}
                data-link
                className={p === chosen ? "chosen" : ""}
                onClick={() => {
                  const next = new URLSearchParams(search);
                  next.set("pair", key(p));
                  setSearch(next, { replace: true });
                }}
              >
                <td>
                  <button
                    type="button"
                    className="plain-button"
                    style={{ textAlign: "left" }}
                    aria-pressed={p === chosen}
                  >
                    {name(p.before)}
                  </button>
                </td>
                <td>{name(p.after)}</td>
                <td className="wide-only">
                  {mean && judged && (
                    <IntervalStrip
                      strip={mean}
                      reach={reach}
                      said={`Mean frame: ${name(p.after)} against ${name(p.before)}`}
                    />
                  )}
                </td>
                <td className="right saved">
                  {judged && mean?.words.column === "saved" && mean.words.difference}
                </td>
                <td className="right spent">
                  {judged && mean?.words.column === "spent" && mean.words.difference}
                </td>
                <td>
                  <Stamp verdict={p.result.verdict} word={p.result.stamp} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Places answer={answer} />
      <section style={{ marginTop: 18 }}>
        <div style={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap" }}>
          <h3>
            {name(chosen.after)} against {name(chosen.before)}
          </h3>
          <Button
            style={{ marginLeft: "auto" }}
            disabled={keep.isPending || ["waiting", "running", "done"].includes(writing?.state ?? "")}
            onClick={() =>
              keep.mutate({
                title: `${name(chosen.after)} against ${name(chosen.before)}`.slice(0, 200),
                before: answer.arms[chosen.before]?.runs ?? [],
                after: answer.arms[chosen.after]?.runs ?? [],
              })
            }
          >
            Write it into the ledger
          </Button>
        </div>
        {writing && writing.state !== "done" && <JobProgress job={writing} ended="no entry was written" />}
        {keep.error && (
          <p role="alert" className="spent">
            {keep.error.message}
          </p>
        )}
        <p className="sentence">{chosen.result.sentence}</p>
        <div className="columns">
          <FigureLadder
            figures={Object.values(chosen.result.figures)}
            primaries={chosen.result.primaries}
            judged={chosen.result.verdict !== "void"}
          />
          <Findings findings={chosen.result.findings} />
        </div>
      </section>
    </>
  );
}

const SESSIONS = (count: number) =>
  count === 0
    ? "The order they were recorded in is not known."
    : count === 1
      ? "All of one recording, in the order recorded."
      : `From ${count} recordings; arms are tested only where a recording holds both.`;

/** Arms of stored runs side by side, of one recording or of several. Nothing is kept; the address restores it. */
export default function ArmsPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const [written, setWritten] = useState(false);
  const marks = search.getAll("arm");
  const { begun, job, found } = useArms(book, asked(search));
  const set = (key: string, value: string) => {
    const next = new URLSearchParams(search);
    next.delete("pair");
    if (value) next.set(key, value);
    else next.delete(key);
    setSearch(next, { replace: true });
  };
  const copy = async () => {
    await navigator.clipboard.writeText(window.location.href);
    setWritten(true);
  };
  const error = begun.error ?? found.error;
  const answer = marks.length > 1 && !error ? found.data : undefined;
  const going = job && job.state !== "done";
  return (
    <article>
      <div className="entry-head" style={{ marginBottom: 8 }}>
        <div>
          <h2>Arms side by side</h2>
          <p className="faded" style={{ fontSize: 13 }}>
            {answer
              ? SESSIONS(answer.sessions)
              : "Sides of entries, or single runs: two to eight, and an empty one."}
          </p>
        </div>
        <div style={{ display: "flex", gap: 12, alignItems: "baseline" }}>
          <Link to={`/${book}/chain`}>Do the steps add up?</Link>
          {marks.length > 1 && <Button onClick={copy}>{written ? "Copied" : "Copy the link"}</Button>}
        </div>
      </div>
      {marks.length > 0 && (
        <Chosen answer={found.isPlaceholderData || going ? undefined : answer} marks={marks} />
      )}
      <div style={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap", marginTop: 8 }}>
        <Another book={book} />
        {marks.length > 2 && (
          <>
            <select
              className="find-field"
              aria-label="Held against"
              value={search.get("against") ?? ""}
              onChange={(e) => set("against", e.target.value)}
            >
              <option value="">all against the first</option>
              <option value="all">every pair</option>
            </select>
            <select
              className="find-field"
              aria-label="Empty arm"
              value={search.get("empty") ?? ""}
              onChange={(e) => set("empty", e.target.value)}
            >
              <option value="">no empty arm</option>
              {marks.map((text, i) => (
                <option key={text} value={i}>
                  arm {i + 1} is empty
                </option>
              ))}
            </select>
          </>
        )}
      </div>
      {marks.length < 2 && (
        <Empty title={marks.length === 0 ? "No arm is chosen yet" : "One more arm"}>
          <p>
            Choose sides of entries above, or tick runs in the list of runs. Arms of one recording are tested
            against each other; arms recorded on different days are shown, and tested only where each day has
            both.
          </p>
        </Empty>
      )}
      {error && <Failure error={error} again={() => (begun.error ? begun : found).refetch()} />}
      {going && <JobProgress job={job} ended="nothing was kept" again={() => begun.refetch()} />}
      {(begun.isFetching || found.isFetching) && !going && !answer && <Loading what="the arms" />}
      {answer && !going && <Pairs answer={answer} book={book} />}
    </article>
  );
}
