import type { ReactNode } from "react";
import type { Schemas } from "../api/client";

const chance = (share: number) =>
  share > 0.995 ? "over 99" : share < 0.005 ? "under 1" : (100 * share).toFixed(0);

interface Props {
  title: string;
  /** With `wanted` where runs for a change of one's own were asked for. */
  rows: readonly (Schemas["Outlook"] & { wanted_said?: string })[];
  /** The change asked for, in words. */
  wanted?: string;
  children?: ReactNode;
}

/** The planner: what runs of this spread would see, and how likely they are to show that nothing changed. */
export function Outlook({ title, rows, wanted, children }: Props) {
  const counts = rows[0]?.runs ?? [];
  if (rows.length === 0) return null;
  return (
    <section style={{ marginTop: 16 }}>
      <h3>{title}</h3>
      {children}
      <div className="wide-table">
        <table className="ruled tight" aria-label={title} style={{ marginTop: 6 }}>
          <thead>
            <tr>
              <th style={{ minWidth: 150 }}>Smallest visible change</th>
              <th className="right">Runs differ by</th>
              {counts.map((k) => (
                <th key={k} className="right">
                  {k} runs an arm
                </th>
              ))}
              <th className="right">Margin</th>
              <th className="right">Runs for it</th>
              {wanted && <th className="right">Runs for {wanted}</th>}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.figure}>
                <td>{row.label}</td>
                <td className={wanted ? "right" : "right nowrap"}>{row.spread}</td>
                {row.visible.map((size, i) => (
                  <td key={counts[i]} className="right nowrap">
                    {size}
                    <span className="faded small"> · {chance(row.chance[i] ?? 0)} %</span>
                  </td>
                ))}
                <td className="right nowrap">{row.margin}</td>
                <td className="right">{row.needed_said}</td>
                {wanted && <td className="right">{row.wanted_said}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="small faded" style={{ marginTop: 6 }}>
        Each cell: the change that so many runs an arm show with 80 % power; behind the dot, how likely they
        are to lie inside the margin if nothing changed. No material change needs that of every row.
      </p>
    </section>
  );
}
