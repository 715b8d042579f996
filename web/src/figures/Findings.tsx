import type { Finding } from "../api/client";
import { RuledList, Text } from "../kit";

const MARKS = { void: "✕", warn: "!", note: "·" } as const;

/** What the audit found, or that it found nothing. */
export function Findings({ findings }: { findings: readonly Finding[] }) {
  return (
    <section>
      <h2>Audit</h2>
      <RuledList sx={{ "& > li": { display: "grid", gridTemplateColumns: "18px 1fr" } }}>
        {findings.map((f) => (
          <li key={f.code + f.sentence}>
            <b>{MARKS[f.severity]}</b>
            <span>
              {f.sentence}{" "}
              <Text as="span" tone="faded">
                {f.remedy}
              </Text>
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
      </RuledList>
    </section>
  );
}
