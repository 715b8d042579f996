import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { useScenario } from "../../api/queries";
import { day } from "../../app/days";
import { Failure, Loading } from "../../app/states";
import { Goals } from "./Goals";
import { Planner } from "./Planner";

/** A scenario: its course and what it is judged by, its goals, and how its versions came about. */
export default function ScenarioPage() {
  const { book = "", id = "" } = useParams();
  const navigate = useNavigate();
  const query = useScenario(book, Number(id));
  const [copied, setCopied] = useState("");
  const scenario = query.data;
  if (query.error) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!scenario) return <Loading what="the scenario" />;
  const [newest, ...older] = scenario.versions;
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(scenario.plan_text);
      setCopied("plan file copied");
    } catch {
      setCopied("the browser refused to copy");
    }
  };
  return (
    <article>
      <div className="entry-head" style={{ marginBottom: 10 }}>
        <div>
          <h2>{scenario.name}</h2>
          <p className="faded" style={{ fontSize: 13 }}>
            version {scenario.version}, {scenario.runs} runs in all
          </p>
        </div>
        <div style={{ display: "flex", gap: 8, alignItems: "center" }}>
          <span role="status" className="small faded">
            {copied}
          </span>
          <Button onClick={copy}>Copy as plan file</Button>
          <Button onClick={() => navigate(`/${book}/scenarios/write?of=${scenario.id}`)}>
            {newest?.runs ? "Write a new version" : "Change it"}
          </Button>
          <Button
            variant="contained"
            onClick={() => navigate(`/${book}/bench/plan?scenario=${encodeURIComponent(scenario.name)}`)}
          >
            Plan a recording
          </Button>
        </div>
      </div>
      <div className="halves">
        <section>
          <h3>Course and judgement</h3>
          <dl className="facts" style={{ marginTop: 6 }}>
            {newest?.rows.map((row) => (
              <div key={row.key} style={{ display: "contents" }}>
                <dt>{row.label}</dt>
                <dd>{row.value}</dd>
              </div>
            ))}
          </dl>
        </section>
        <Goals book={book} scenario={scenario.id} />
      </div>
      <Planner book={book} scenario={scenario.id} name={scenario.name} />
      <section style={{ marginTop: 18 }}>
        <h3>Versions</h3>
        <table className="ruled" aria-label="Versions">
          <thead>
            <tr>
              <th className="right" style={{ width: 70 }}>
                Version
              </th>
              <th style={{ width: 170 }}>Written</th>
              <th className="right" style={{ width: 70 }}>
                Runs
              </th>
              <th>What it changed</th>
            </tr>
          </thead>
          <tbody>
            {[newest, ...older].map(
              (version) =>
                version && (
                  <tr key={version.number}>
                    <td className="right">{version.number}</td>
                    <td className="nowrap">{day(version.created_at)}</td>
                    <td className="right">{version.runs}</td>
                    <td>
                      {version.changed.length === 0
                        ? "the first"
                        : version.changed.map((d) => (
                            <div key={d.key}>
                              {d.label}: <s className="faded">{d.before}</s> {d.after}
                            </div>
                          ))}
                    </td>
                  </tr>
                ),
            )}
          </tbody>
        </table>
      </section>
    </article>
  );
}
