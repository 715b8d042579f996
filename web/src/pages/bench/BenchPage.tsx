import Button from "@mui/material/Button";
import { useNavigate, useParams } from "react-router";
import { useRecordings, useStandbys } from "../../api/queries";
import { moment } from "../../app/days";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";

/** Recordings planned, under way and done, and the recorders that stand by. */
export default function BenchPage() {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const recordings = useRecordings(book);
  const standbys = useStandbys(book);
  const plan = () => navigate(`/${book}/bench/plan`);
  useKeys({ n: plan });
  if (recordings.error) return <Failure error={recordings.error} again={() => recordings.refetch()} />;
  if (recordings.isPending) return <Loading what="the bench" />;
  const rows = recordings.data.results;
  return (
    <>
      <div className="entry-head" style={{ marginBottom: 8 }}>
        <div>
          <h2>Bench</h2>
          <p className="faded" style={{ fontSize: 13 }}>
            {standbys.data?.length
              ? `Standing by: ${standbys.data.map((s) => s.name).join(", ")}.`
              : "No recorder stands by. Start one with vigilant standby, or copy a plan's command."}
          </p>
        </div>
        <Button variant="contained" onClick={plan}>
          Plan a recording
        </Button>
      </div>
      {rows.length === 0 ? (
        <Empty title="Nothing was recorded yet">
          <p>Plan a recording: which scenario, which two builds, and how many runs each.</p>
        </Empty>
      ) : (
        <table className="ruled" aria-label="Recordings">
          <thead>
            <tr>
              <th>Entry</th>
              <th>Title</th>
              <th className="wide-only">Scenario</th>
              <th className="wide-only">Rig</th>
              <th className="wide-only">Planned or begun</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.id} data-link onClick={() => navigate(`/${book}/bench/${r.id}`)}>
                <td>{r.entry}</td>
                <td>
                  <a href={`/${book}/bench/${r.id}`} onClick={(e) => e.preventDefault()}>
                    {r.title}
                  </a>
                </td>
                <td className="wide-only">
                  {r.scenario} {r.version}
                </td>
                <td className="wide-only">{r.rig}</td>
                <td className="wide-only nowrap">{moment(r.created_at)}</td>
                <td>
                  {r.state === "refused"
                    ? "not recorded"
                    : r.control === "pause" && r.state === "recording"
                      ? "paused"
                      : r.state}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
