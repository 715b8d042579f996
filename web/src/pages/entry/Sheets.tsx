import { useState } from "react";
import type { Entry } from "../../api/client";

/** The conditions of both arms side by side: what differs first, the rest on demand. */
export function Sheets({ entry }: { entry: Entry }) {
  const [all, setAll] = useState(false);
  const differing = entry.sheets.filter((row) => row.differs);
  const shown = all ? entry.sheets : differing;
  if (entry.sheets.length === 0) return null;
  return (
    <section style={{ marginTop: 16 }}>
      <div style={{ display: "flex", gap: 14, alignItems: "baseline" }}>
        <h3>Conditions of both arms</h3>
        <span className="faded" style={{ fontSize: 13 }}>
          {differing.length === 0
            ? `all ${entry.sheets.length} alike`
            : `${differing.length} of ${entry.sheets.length} differ`}
        </span>
        <button type="button" className="plain-button small faded" onClick={() => setAll(!all)}>
          {all ? "only what differs" : "show all"}
        </button>
      </div>
      {shown.length > 0 && (
        <table className="ruled tight" aria-label="Conditions" style={{ marginTop: 6 }}>
          <thead>
            <tr>
              <th>Condition</th>
              <th className="before">Before</th>
              <th className="after">After</th>
              <th>Rule</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((row) => (
              <tr key={row.key}>
                <td>{row.key}</td>
                <td>{row.before}</td>
                <td>{row.differs ? <b>{row.after}</b> : row.after}</td>
                <td className={row.differs && row.rule === "must match" ? "spent" : "faded"}>{row.rule}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
