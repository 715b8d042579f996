import type { Schemas } from "../api/client";
import { day } from "../app/days";

type GoalLine = Schemas["GoalLine"];
/** Each goal with where these runs stand: level, interval, distance, and what they are under earlier thresholds. */
export function GoalLines({ goals, brief = false }: { goals: readonly GoalLine[]; brief?: boolean }) {
  if (goals.length === 0) return null;
  return (
    <section style={{ marginTop: brief ? 8 : 16 }}>
      <h3>Goals</h3>
      <table className={brief ? "ruled tight" : "ruled"} aria-label="Goals">
        <thead>
          <tr>
            <th>What must hold</th>
            <th className="right">Here</th>
            <th className="right wide-only">95 % interval</th>
            <th className="right wide-only">Distance</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          {goals.map((goal) => (
            <tr key={goal.goal} data-goal={goal.state}>
              <td>
                {goal.sentence}
                {(brief ? [] : goal.earlier).map((old) => (
                  <div key={old.until} className="faded">
                    until {day(old.until)} {old.threshold}: {old.state} under it ({old.reason})
                  </div>
                ))}
              </td>
              <td className="right nowrap">{goal.level}</td>
              <td className="right nowrap faded wide-only">{goal.interval}</td>
              <td className="right nowrap wide-only">{goal.distance}</td>
              <td>
                <span className="goal-state" title={goal.remark}>
                  {goal.said}
                </span>
                {!brief && goal.remark && <div className="faded">{goal.remark}</div>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
