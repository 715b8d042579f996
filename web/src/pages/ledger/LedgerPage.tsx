import Button from "@mui/material/Button";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { EntryLine, Standing } from "../../api/client";
import { useEntries, useStanding } from "../../api/queries";
import { useHead } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import { BalanceChart } from "../../charts/BalanceChart";
import { commonReach, IntervalStrip } from "../../charts/IntervalStrip";
import { Explained } from "../../figures/Explained";
import { GoalLines } from "../../figures/GoalLines";
import { Stamp } from "../../figures/Stamp";
import { NewEntry } from "./NewEntry";

function WhereWeStand({ standing }: { standing: Standing }) {
  return (
    <section className="standing">
      <div>
        <h2>Where we stand</h2>
        {standing.rows.length > 0 && (
          <table className="ruled" style={{ marginTop: 8 }}>
            <tbody>
              {standing.rows.map((row) => (
                <tr key={row.label}>
                  <td>
                    <Explained definition={row.definition}>{row.label}</Explained>
                  </td>
                  <td className="right nowrap">
                    <b>{row.value}</b> {row.unit}
                  </td>
                  <td className="right nowrap faded">{row.note}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <p className="small faded" style={{ marginTop: 8 }}>
          {standing.sentence}
        </p>
      </div>
      <BalanceChart points={standing.points} budget={standing.budget_ms} />
    </section>
  );
}

interface LineProps {
  entry: EntryLine;
  reach: number;
  chosen: boolean;
  onOpen: () => void;
}

function Line({ entry, reach, chosen, onOpen }: LineProps) {
  const row = useRef<HTMLTableRowElement>(null);
  useEffect(() => {
    if (chosen) row.current?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  return (
    <>
      <tr ref={row} data-link className={chosen ? "chosen" : ""} aria-selected={chosen} onClick={onOpen}>
        <td className="right">{entry.number}</td>
        <td>
          <a
            href={`./entries/${entry.number}`}
            onClick={(e) => e.preventDefault()}
            style={{ textDecoration: "none", fontWeight: 600 }}
          >
            {entry.title}
          </a>
          {entry.remark && <span className="faded"> ({entry.remark})</span>}
        </td>
        <td className="faded nowrap wide-only">{entry.runs}</td>
        <td className="wide-only">
          {entry.mean ? (
            <IntervalStrip
              strip={entry.mean}
              reach={reach}
              said={`Mean frame, entry ${entry.number}, against its margin`}
            />
          ) : (
            <span className="faded">{entry.verdict === "void" ? "not comparable" : ""}</span>
          )}
        </td>
        <td className="right saved">{entry.saved}</td>
        <td className="right spent">{entry.spent}</td>
        <td>{entry.verdict && <Stamp verdict={entry.verdict} word={entry.stamp} />}</td>
        <td className="wide-only">
          {entry.decision?.choice ??
            (entry.blank ? "" : entry.verdict ? <u>decide</u> : <span className="faded">record</span>)}
        </td>
        <td className="right">{entry.standing_ms}</td>
      </tr>
      {entry.unaccounted && (
        <tr className="unaccounted">
          <td />
          <td colSpan={8}>{entry.unaccounted}</td>
        </tr>
      )}
    </>
  );
}

export function LedgerPage() {
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const find = search.get("find") ?? "";
  const navigate = useNavigate();
  const standing = useStanding(book);
  const pages = useEntries(book, find);
  const [chosen, setChosen] = useState(-1);
  const [writing, setWriting] = useState(false);
  const end = useRef<HTMLDivElement>(null);
  const entries = useMemo(() => pages.data?.pages.flatMap((p) => p.results) ?? [], [pages.data]);
  const reach = useMemo(
    () => commonReach(entries.flatMap((e) => (e.mean ? [{ strip: e.mean, higherIsBetter: false }] : []))),
    [entries],
  );
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  useEffect(() => {
    const mark = end.current;
    if (!mark || !hasNextPage) return;
    const watch = new IntersectionObserver(
      ([seen]) => seen?.isIntersecting && !isFetchingNextPage && fetchNextPage(),
    );
    watch.observe(mark);
    return () => watch.disconnect();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const open = (entry: EntryLine | undefined) => entry && navigate(`/${book}/entries/${entry.number}`);
  useKeys({
    j: () => setChosen((at) => Math.min(at + 1, entries.length - 1)),
    k: () => setChosen((at) => Math.max(at - 1, 0)),
    Enter: () => open(entries[chosen]),
    n: () => setWriting(true),
  });
  useHead(standing.data ?? null);

  if (standing.error) return <Failure error={standing.error} again={() => standing.refetch()} />;
  if (pages.error) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (standing.isPending || pages.isPending) return <Loading what="the ledger" />;
  return (
    <>
      <WhereWeStand standing={standing.data} />
      <GoalLines goals={standing.data.goals} brief />
      <div
        style={{ display: "flex", alignItems: "baseline", gap: 18, margin: "12px 0 4px", flexWrap: "wrap" }}
      >
        <h2>Entries</h2>
        <span className="faded" style={{ fontSize: 13 }}>
          {standing.data.questions}
        </span>
        <Button style={{ marginLeft: "auto" }} onClick={() => setWriting(true)}>
          New entry&ensp;n
        </Button>
      </div>
      {entries.length === 0 ? (
        find ? (
          <Empty title={`No entry says "${find}"`}>
            <p>Titles and reasons are searched, and numbers.</p>
          </Empty>
        ) : (
          <Empty title="The first entry">
            <p>Record a scenario before and after a change; the recorder writes the entry.</p>
            <code>vigilant record docs/examples/neighbours.toml --server {window.location.origin}</code>
          </Empty>
        )
      ) : (
        <table className="ruled" aria-label="Entries">
          <thead>
            <tr>
              <th className="right">No.</th>
              <th>Change</th>
              <th className="wide-only">Runs</th>
              <th className="wide-only">Mean frame: ← saved, spent →</th>
              <th className="right">
                Saved
                <br />
                ms
              </th>
              <th className="right">
                Spent
                <br />
                ms
              </th>
              <th>Verdict</th>
              <th className="wide-only">Decision</th>
              <th className="right">
                Standing
                <br />
                ms
              </th>
            </tr>
          </thead>
          <tbody>
            {entries.map((entry, i) => (
              <Line
                key={entry.number}
                entry={entry}
                reach={reach}
                chosen={i === chosen}
                onOpen={() => open(entry)}
              />
            ))}
          </tbody>
        </table>
      )}
      <div ref={end}>{isFetchingNextPage && <Loading what="more entries" />}</div>
      <NewEntry book={book} open={writing} onClose={() => setWriting(false)} />
    </>
  );
}
