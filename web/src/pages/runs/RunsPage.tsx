import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useRuns } from "../../api/queries";
import { moment } from "../../app/days";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";

/** Every run of the book, newest first. */
export function RunsPage() {
  const { book = "" } = useParams();
  const pages = useRuns(book);
  const navigate = useNavigate();
  const [chosen, setChosen] = useState(-1);
  const [ticked, setTicked] = useState<readonly string[]>([]);
  // Arms chosen before this one come along in the address.
  const [search] = useSearchParams();
  const others = search.getAll("arm").length;
  const take = () => {
    const next = new URLSearchParams(search);
    next.append("arm", ticked.join("~"));
    navigate(`/${book}/arms?${next.toString()}`);
  };
  const runs = pages.data?.pages.flatMap((p) => p.results) ?? [];
  const open = (id: string | undefined) => id && navigate(`/${book}/runs/${id}`);
  useKeys({
    j: () => setChosen((at) => Math.min(at + 1, runs.length - 1)),
    k: () => setChosen((at) => Math.max(at - 1, 0)),
    Enter: () => open(runs[chosen]?.id),
  });
  if (pages.error) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (pages.isPending) return <Loading what="the runs" />;
  return (
    <>
      <div style={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap", marginBottom: 8 }}>
        <h2>Runs</h2>
        <span className="faded" role="status">
          {ticked.length > 0
            ? `${ticked.length} ticked`
            : others > 0
              ? `Tick the runs of arm ${others + 1}.`
              : "Tick runs to make an arm of them."}
        </span>
        {ticked.length > 0 && <Button onClick={take}>Make an arm of them</Button>}
      </div>
      {runs.length === 0 ? (
        <Empty title="No run is stored yet">
          <p>Runs arrive from a recorder, or from a spool that was kept:</p>
          <code>vigilant push SPOOL --server {window.location.origin}</code>
        </Empty>
      ) : (
        <table className="ruled" aria-label="Runs">
          <thead>
            <tr>
              <th style={{ width: 28 }} />
              <th>Recorded</th>
              <th>Build</th>
              <th className="wide-only">Scenario</th>
              <th className="wide-only">Rig</th>
              <th className="right">Frames</th>
              <th className="right">Seconds</th>
              <th className="right">Mean ms</th>
              <th>Outcome</th>
            </tr>
          </thead>
          <tbody>
            {runs.map((run, i) => (
              <tr
                key={run.id}
                data-link
                className={i === chosen ? "chosen" : ""}
                onClick={() => open(run.id)}
              >
                {/* biome-ignore lint/a11y/useKeyWithClickEvents: the box inside takes the keys */}
                <td onClick={(e) => e.stopPropagation()}>
                  <input
                    type="checkbox"
                    aria-label={`Take the run of ${run.started_at ? moment(run.started_at) : ""}, ${run.build}`}
                    disabled={run.state !== "complete" || run.outcome !== "complete"}
                    checked={ticked.includes(run.id)}
                    onChange={(e) =>
                      setTicked(e.target.checked ? [...ticked, run.id] : ticked.filter((id) => id !== run.id))
                    }
                  />
                </td>
                <td className="nowrap">
                  <a href={`./runs/${run.id}`} onClick={(e) => e.preventDefault()}>
                    {run.started_at && moment(run.started_at)}
                  </a>
                </td>
                <td>{run.build}</td>
                <td className="wide-only">
                  {run.scenario} {run.version}
                </td>
                <td className="wide-only">{run.rig}</td>
                <td className="right">{(run.frames ?? 0).toLocaleString("en-GB")}</td>
                <td className="right">{(run.seconds ?? 0).toFixed(1)}</td>
                <td className="right">{run.mean_ms?.toFixed(2)}</td>
                <td>
                  {run.outcome}
                  {run.detail && <span className="faded"> ({run.detail})</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {pages.hasNextPage && (
        <button
          type="button"
          className="plain-button"
          style={{ marginTop: 8 }}
          onClick={() => pages.fetchNextPage()}
        >
          more runs
        </button>
      )}
    </>
  );
}
