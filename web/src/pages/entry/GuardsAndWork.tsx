import type { Entry } from "../../api/client";
import { net as netOf, place } from "../../figures/places";
import { Word } from "../../figures/Word";
import { Box, Cell, Table, TableBody, TableRow } from "../../kit";

/** What stands beside the figures: guards, the amount of work, and what is left net of the empty arm. */
export function GuardsAndWork({ result }: { result: NonNullable<Entry["result"]> }) {
  const guards = Object.values(result.guards ?? {});
  const work = result.work ?? [];
  const net = result.net ?? [];
  const ranks = result.ranks ?? [];
  if (guards.length + work.length + net.length + ranks.length === 0) return null;
  const ms = (value: number) => `${value.toFixed(3)} ms`;
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <h2>
        <Word of="guard">Guards</Word> and <Word of="work">work</Word>
      </h2>
      <Table size="small" aria-label="Guards and work" sx={{ marginTop: 6 }}>
        <TableBody>
          {guards.map((g) => (
            <TableRow key={g.name}>
              <Cell sx={{ width: 190 }}>{g.words.label}</Cell>
              <Cell tone={g.call.startsWith("worse") ? "spent" : undefined} sx={{ width: 170 }}>
                {g.call.startsWith("worse") || g.call === "better"
                  ? g.call
                  : g.inside
                    ? "kept"
                    : "not shown to be kept"}
              </Cell>
              <Cell>{g.words.change}</Cell>
            </TableRow>
          ))}
          {work.map((w) => (
            <TableRow key={`${w.witness} ${w.leg}`}>
              <Cell>{w.leg || "whole course"}</Cell>
              <Cell tone={w.amount === "less" || w.amount === "more" ? "spent" : undefined}>
                {w.amount === "unknown"
                  ? "amount unknown"
                  : w.amount === "same"
                    ? "same work"
                    : `${w.amount} work`}
              </Cell>
              <Cell>
                {w.sentence}; of the change {ms(w.amount_ms)} because{" "}
                {w.amount === "less" || w.amount === "more" ? `${w.amount} was done` : "of how much was done"}
                , {ms(w.cost_ms)} because the same work took {w.cost_ms > 0 ? "longer" : "less time"}
              </Cell>
            </TableRow>
          ))}
          {[...new Set(ranks.map((r) => r.figure))].map((figure) => (
            <TableRow key={figure}>
              <Cell>{figure}</Cell>
              <Cell>places among the arms</Cell>
              <Cell>
                {ranks
                  .filter((r) => r.figure === figure)
                  .map((r) => `${r.arm}: ${place(r)}`)
                  .join("; ")}
              </Cell>
            </TableRow>
          ))}
          {net.map((n) => (
            <TableRow key={n.arm}>
              <Cell>{n.arm}</Cell>
              <Cell>net of the empty arm</Cell>
              <Cell>{netOf(n)}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
