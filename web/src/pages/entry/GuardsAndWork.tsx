import type { Entry } from "../../api/client";
import { net as netOf, place } from "../../figures/places";

/** What stands beside the figures: guards, the amount of work, and what is left net of the empty arm. */
export function GuardsAndWork({ result }: { result: NonNullable<Entry["result"]> }) {
  const guards = Object.values(result.guards ?? {});
  const work = result.work ?? [];
  const net = result.net ?? [];
  const ranks = result.ranks ?? [];
  if (guards.length + work.length + net.length + ranks.length === 0) return null;
  const ms = (value: number) => `${value.toFixed(3)} ms`;
  return (
    <section style={{ marginTop: 16 }}>
      <h3>Guards and work</h3>
      <table className="ruled tight" aria-label="Guards and work" style={{ marginTop: 6 }}>
        <tbody>
          {guards.map((g) => (
            <tr key={g.name}>
              <td style={{ width: 190 }}>{g.words.label}</td>
              <td className={g.call.startsWith("worse") ? "spent" : undefined} style={{ width: 170 }}>
                {g.call.startsWith("worse") || g.call === "better"
                  ? g.call
                  : g.inside
                    ? "kept"
                    : "not shown to be kept"}
              </td>
              <td>{g.words.change}</td>
            </tr>
          ))}
          {work.map((w) => (
            <tr key={`${w.witness} ${w.leg}`}>
              <td>{w.leg || "whole course"}</td>
              <td className={w.amount === "less" || w.amount === "more" ? "spent" : undefined}>
                {w.amount === "unknown"
                  ? "amount unknown"
                  : w.amount === "same"
                    ? "same work"
                    : `${w.amount} work`}
              </td>
              <td>
                {w.sentence}; {ms(w.amount_ms)} of the change from the amount, {ms(w.cost_ms)} from its cost
              </td>
            </tr>
          ))}
          {[...new Set(ranks.map((r) => r.figure))].map((figure) => (
            <tr key={figure}>
              <td>{figure}</td>
              <td>places among the arms</td>
              <td>
                {ranks
                  .filter((r) => r.figure === figure)
                  .map((r) => `${r.arm}: ${place(r)}`)
                  .join("; ")}
              </td>
            </tr>
          ))}
          {net.map((n) => (
            <tr key={n.arm}>
              <td>{n.arm}</td>
              <td>net of the empty arm</td>
              <td>{netOf(n)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
