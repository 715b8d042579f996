import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { useChain, useEntries } from "../../api/queries";
import { Empty, Failure, Loading } from "../../app/states";

/** Entries as the steps of a chain: their product against the way from first to last. */
export default function ChainPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const entries = useEntries(book, "");
  // What is ticked is kept here: the address follows in a transition, too late for quick hands.
  const [steps, setSteps] = useState(() => search.getAll("entry").map(Number));
  const [total, setTotal] = useState(() => (search.get("total") ? Number(search.get("total")) : undefined));
  const query = useChain(book, steps, total);
  if (entries.error) return <Failure error={entries.error} again={() => entries.refetch()} />;
  if (entries.isPending) return <Loading what="the entries" />;
  const offered = entries.data.pages
    .flatMap((p) => p.results)
    .filter((e) => e.verdict && e.verdict !== "void" && !e.blank)
    .sort((a, b) => a.number - b.number);
  const set = (numbers: number[], whole: number | undefined) => {
    const ordered = [...numbers].sort((a, b) => a - b);
    const kept = whole !== undefined && !numbers.includes(whole) ? whole : undefined;
    setSteps(ordered);
    setTotal(kept);
    const next = new URLSearchParams(ordered.map((n) => ["entry", `${n}`]));
    if (kept !== undefined) next.set("total", `${kept}`);
    setSearch(next, { replace: true });
  };
  const answer = steps.length > 1 && !query.error ? query.data : undefined;
  const tested = answer?.rows.some((row) => row.words.interval);
  const meanings = [...new Set(answer?.rows.map((row) => row.words.meaning))];
  return (
    <article>
      <h2>Do the steps add up?</h2>
      <p className="faded" style={{ fontSize: 13, margin: "2px 0 10px", maxWidth: 820 }}>
        Changes in time multiply: two steps of 10 % less make 19 % less. Tick the steps; their product is held
        against the way from the first one's before to the last one's after, or against an entry that went all
        the way at once. A step's factor is what it leaves of the time.
      </p>
      <div className="wide-table">
        <table className="ruled" aria-label="Steps">
          <thead>
            <tr>
              <th style={{ width: 40 }}>Step</th>
              <th className="right" style={{ width: 40 }}>
                No.
              </th>
              <th>Change</th>
              {answer?.rows.map((row) => (
                <th key={row.figure} className="right">
                  {row.label}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {offered.map((e) => {
              const at = answer?.steps.findIndex((s) => s.number === e.number) ?? -1;
              return (
                <tr key={e.number} className={e.number === total ? "faded" : undefined}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Step ${e.number}`}
                      checked={steps.includes(e.number)}
                      onChange={(event) =>
                        set(
                          event.target.checked ? [...steps, e.number] : steps.filter((n) => n !== e.number),
                          total,
                        )
                      }
                    />
                  </td>
                  <td className="right">{e.number}</td>
                  <td>
                    <Link to={`/${book}/entries/${e.number}`}>{e.title}</Link>
                  </td>
                  {answer?.rows.map((row, i) => (
                    <td key={row.figure} className="right nowrap">
                      {answer.steps[at]?.factors[i]}
                    </td>
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {entries.hasNextPage && (
        <button type="button" className="plain-button" onClick={() => entries.fetchNextPage()}>
          older entries
        </button>
      )}
      <p style={{ marginTop: 10 }}>
        Held against{" "}
        <select
          className="find-field"
          aria-label="Total"
          value={total ?? ""}
          onChange={(e) => set(steps, e.target.value ? Number(e.target.value) : undefined)}
        >
          <option value="">the first one's before and the last one's after</option>
          {offered
            .filter((e) => !steps.includes(e.number))
            .map((e) => (
              <option key={e.number} value={e.number}>
                entry {e.number}: {e.title}
              </option>
            ))}
        </select>
      </p>
      {steps.length < 2 && (
        <Empty title="A chain has two steps or more">
          <p>Tick the entries whose changes were made one after the other.</p>
        </Empty>
      )}
      {query.error && <Failure error={query.error} again={() => query.refetch()} />}
      {steps.length > 1 && query.isPending && <Loading what="the chain" />}
      {answer && (
        <section style={{ marginTop: 14 }}>
          <h3>What the product misses</h3>
          <div className="wide-table">
            <table className="ruled" aria-label="Closing">
              <thead>
                <tr>
                  <th>Figure</th>
                  <th className="right">The steps together</th>
                  <th className="right">First to last</th>
                  <th className="right">Missed by</th>
                  {tested && <th className="right">95 % interval</th>}
                  <th>{meanings.length > 1 && "Meaning"}</th>
                </tr>
              </thead>
              <tbody>
                {answer.rows.map((row) => (
                  <tr key={row.figure}>
                    <td style={{ fontWeight: 600 }}>{row.label}</td>
                    <td className="right nowrap">{row.words.product}</td>
                    <td className="right nowrap">{row.words.total}</td>
                    <td className="right nowrap">{row.words.remainder}</td>
                    {tested && <td className="right nowrap">{row.words.interval}</td>}
                    <td>{meanings.length > 1 && row.words.meaning}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {meanings.length === 1 && <p style={{ marginTop: 8 }}>{meanings[0]}</p>}
        </section>
      )}
    </article>
  );
}
