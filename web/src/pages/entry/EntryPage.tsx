import { useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Entry, Figure } from "../../api/client";
import { useEntry } from "../../api/queries";
import { day } from "../../app/days";
import { useHead } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { RunDots } from "../../charts/RunDots";
import type { Table } from "../../charts/table";
import { FigureLadder } from "../../figures/FigureLadder";
import { Findings } from "../../figures/Findings";
import { GoalLines } from "../../figures/GoalLines";
import { Outlook } from "../../figures/Outlook";
import { Stamp } from "../../figures/Stamp";
import { Claim } from "./Claim";
import { DecisionBox } from "./DecisionBox";
import { GuardsAndWork } from "./GuardsAndWork";
import { Quantiles } from "./Quantiles";
import { Sheets } from "./Sheets";

function dotTable(entry: Entry, figure: string): Table {
  return {
    head: ["run", "arm", "outcome", figure],
    rows: entry.dots.map((d) => [d.position + 1, d.arm, d.outcome, d.figures[figure] ?? null]),
  };
}

function Runs({ entry, figures }: { entry: Entry; figures: Figure[] }) {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  const offered = figures.filter((f) => entry.dots.some((d) => typeof d.figures[f.name] === "number"));
  const figure = offered.find((f) => f.name === search.get("figure")) ?? offered[0];
  useKeys({ t: () => setShown(!shown) });
  if (!figure) return null;
  const unit = figure.unit === "share" ? "%" : figure.unit === "per_min" ? "" : figure.unit;
  const known = figure.p_value !== null || figure.call !== "none seen";
  return (
    <section style={{ marginTop: 16 }}>
      <div style={{ display: "flex", gap: 14, alignItems: "baseline" }}>
        <h3>Runs in the order recorded,</h3>
        <select
          className="find-field"
          aria-label="Figure"
          value={figure.name}
          onChange={(e) => {
            search.set("figure", e.target.value);
            setSearch(search, { replace: true });
          }}
        >
          {offered.map((f) => (
            <option key={f.name} value={f.name}>
              {f.words.label}
            </option>
          ))}
        </select>
        <span className="faded">{unit}</span>
        <span style={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => dotTable(entry, figure.name)}
            svg={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </span>
      </div>
      <div ref={drawing}>
        <RunDots
          dots={[...entry.dots]}
          figure={figure.name}
          share={figure.unit === "share"}
          before={known ? figure.before : null}
          after={known ? figure.after : null}
          onOpen={(run) => navigate(`/${book}/runs/${run}`)}
        />
      </div>
      {shown && <TableBehind table={dotTable(entry, figure.name)} />}
    </section>
  );
}

function Method({ lines }: { lines: readonly string[] }) {
  if (lines.length === 0) return null;
  return (
    <details style={{ marginTop: 16 }}>
      <summary>
        <h3 style={{ display: "inline" }}>Method</h3>{" "}
        <span className="faded" style={{ fontSize: 13 }}>
          what was done, with the numbers, so that it can be done again by hand
        </span>
      </summary>
      {lines.map((text) => (
        <p key={text} style={{ marginTop: 6, maxWidth: 900 }}>
          {text}
        </p>
      ))}
    </details>
  );
}

/** Verdicts that an earlier method gave of the same runs, where they were others. */
function Earlier({ entry }: { entry: Entry }) {
  return entry.earlier
    .filter((e) => e.changed)
    .map((e) => (
      <p key={e.core_version} className="faded" style={{ margin: "-4px 0 14px" }}>
        By an earlier method (core {e.core_version}), until {day(e.replaced_at)}: <b>{e.stamp}</b>. The same
        runs were computed anew.
      </p>
    ));
}

function Unrecorded({ book, entry }: { book: string; entry: Entry }) {
  if (entry.recording)
    return (
      <Empty title="A recording is planned or under way">
        <Link to={`/${book}/bench/${entry.recording}`}>Watch it on the bench</Link>
      </Empty>
    );
  return (
    <Empty title="Nothing is recorded yet">
      <Link to={`/${book}/bench/plan?entry=${entry.number}`}>Plan its recording on the bench</Link>
      <p>Or put this into a recording plan, and what is recorded comes into this entry:</p>
      <code>
        [entry]
        <br />
        number = {entry.number}
      </code>
      <code>VIGILANT_SERVER={window.location.origin} vigilant record plan.toml</code>
    </Empty>
  );
}

export function EntryPage() {
  const { book = "", number = "" } = useParams();
  const navigate = useNavigate();
  const query = useEntry(book, Number(number));
  const entry = query.data;
  const go = (to: number | null | undefined) => to && navigate(`/${book}/entries/${to}`);
  useKeys({ J: () => go(entry?.next), K: () => go(entry?.previous) });
  useHead(entry ?? null);
  if (query.error) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!entry) return <Loading what="the entry" />;
  const figures = entry.result ? Object.values(entry.result.figures) : [];
  return (
    <article>
      <div className="entry-head">
        <div>
          <p className="faded" style={{ fontSize: 13 }}>
            {entry.caption}
            {entry.after_the_fact && ", compared after the fact"}
          </p>
          <h1>{entry.title}</h1>
          {entry.why && !entry.result && (
            <p>
              <span className="faded">Why:</span> {entry.why}
            </p>
          )}
          {entry.expected && (
            <p>
              <span className="faded">Expected:</span> {entry.expected}{" "}
              {entry.decisions[0]?.expectation && <b>{entry.decisions[0].expectation}</b>}
            </p>
          )}
        </div>
        {entry.result && <Stamp verdict={entry.result.verdict} word={entry.result.stamp} large />}
      </div>
      {entry.result ? (
        <>
          <p className="sentence">{entry.result.sentence}</p>
          <Earlier entry={entry} />
          <div className="columns">
            <FigureLadder
              figures={figures}
              primaries={entry.result.primaries}
              judged={entry.result.verdict !== "void"}
            />
            <aside style={{ display: "grid", gap: 16, alignContent: "start" }}>
              <Findings findings={entry.result.findings} />
              {!entry.blank && <DecisionBox key={entry.number} book={book} entry={entry} />}
            </aside>
          </div>
          <GoalLines goals={entry.goals} />
          <GuardsAndWork result={entry.result} />
          {entry.result.band && (
            <Quantiles
              band={entry.result.band}
              frames={Math.min(
                ...(["before", "after"] as const).map(
                  (arm) => (entry.result?.frames[arm] ?? 0) / (entry.result?.runs[arm] || 1),
                ),
              )}
              unstable={(entry.result.unstable ?? []).map(
                (n) => figures.find((f) => f.name === n)?.words.label ?? n,
              )}
            />
          )}
          <Runs entry={entry} figures={figures} />
          {entry.result.verdict !== "void" && (
            <Outlook title="What more runs would see" rows={entry.result.outlook ?? []} />
          )}
          <Sheets entry={entry} />
          <Claim key={`claim ${entry.number}`} book={book} entry={entry.number} />
          <Method lines={entry.result.method ?? []} />
        </>
      ) : entry.verdict ? (
        <Empty title="The stored result cannot be read">
          It was kept by another version and waits to be computed anew from its runs, which are all there.
        </Empty>
      ) : (
        <Unrecorded book={book} entry={entry} />
      )}
      <footer
        style={{
          borderTop: "1px solid var(--ink)",
          marginTop: 10,
          paddingTop: 8,
          display: "flex",
          justifyContent: "flex-end",
          gap: 16,
        }}
        className="faded"
      >
        {entry.result && (
          <Link
            to={`/${book}/arms?arm=${entry.number}.before&arm=${entry.number}.after`}
            style={{ marginRight: "auto" }}
          >
            with other arms
          </Link>
        )}
        {entry.previous && (
          <button type="button" className="plain-button" onClick={() => go(entry.previous)}>
            previous Shift+K
          </button>
        )}
        {entry.next && (
          <button type="button" className="plain-button" onClick={() => go(entry.next)}>
            next Shift+J
          </button>
        )}
      </footer>
    </article>
  );
}
