import Button from "@mui/material/Button";
import { useNavigate, useParams } from "react-router";
import { useScenarios } from "../../api/queries";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";

/** The courses of the book, each by its newest version. */
export default function ScenariosPage() {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const scenarios = useScenarios(book);
  const write = () => navigate(`/${book}/scenarios/write`);
  useKeys({ n: write });
  if (scenarios.error) return <Failure error={scenarios.error} again={() => scenarios.refetch()} />;
  if (scenarios.isPending) return <Loading what="the scenarios" />;
  return (
    <>
      <div className="entry-head" style={{ marginBottom: 8 }}>
        <h2>Scenarios</h2>
        <Button variant="contained" onClick={write}>
          Write a scenario
        </Button>
      </div>
      {scenarios.data.length === 0 ? (
        <Empty title="No scenario is fixed yet">
          <p>
            A scenario is the same course every time: its legs, its seed, its length, and what it is judged
            by.
          </p>
        </Empty>
      ) : (
        <table className="ruled" aria-label="Scenarios">
          <thead>
            <tr>
              <th>Scenario</th>
              <th className="right">Version</th>
              <th className="right">Target fps</th>
              <th className="right">Seconds a run</th>
              <th className="right">Runs</th>
            </tr>
          </thead>
          <tbody>
            {scenarios.data.map((s) => (
              <tr key={s.id} data-link onClick={() => navigate(`/${book}/scenarios/${s.id}`)}>
                <td>
                  <a href={`/${book}/scenarios/${s.id}`} onClick={(e) => e.preventDefault()}>
                    {s.name}
                  </a>
                </td>
                <td className="right">{s.version}</td>
                <td className="right">{s.target_fps}</td>
                <td className="right">{String(s.definition.duration_s ?? 120)}</td>
                <td className="right">{s.runs}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
