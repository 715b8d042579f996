import type { Finding } from "../api/client";

const MARKS = { void: "✕", warn: "!", note: "·" } as const;

/** What the audit found, or that it found nothing. */
export function Findings({ findings }: { findings: readonly Finding[] }) {
  return (
    <section>
      <h3>Audit</h3>
      <ul className="findings">
        {findings.map((f) => (
          <li key={f.code + f.sentence}>
            <b>{MARKS[f.severity]}</b>
            <span>
              {f.sentence} <span className="faded">{f.remedy}</span>
            </span>
          </li>
        ))}
        {findings.length === 0 && (
          <li>
            <b>✓</b>
            <span>
              Nothing found: order, lengths, units, conditions, caps, warm-up, drift, odd runs and equal work
              were looked at.
            </span>
          </li>
        )}
      </ul>
    </section>
  );
}
