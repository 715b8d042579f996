import { useRef, useState } from "react";
import { useSpreadLeaf } from "../../api/evidence";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { type Spread, SpreadChart } from "../../charts/SpreadChart";
import type { ChartTable } from "../../charts/table";
import { FigureTable } from "../../figures/FigureLadder";
import { Box, Text } from "../../kit";
import { LeafSentence } from "./leaves";

const round = (value: number | null | undefined) => (value == null ? null : Number(value.toPrecision(5)));

function table(spread: Spread): ChartTable {
  const { quantiles } = spread;
  if (!quantiles)
    return {
      head: ["share %", "before ms", "after ms"],
      rows: spread.shares.map((s, i) => [
        round(100 * (s ?? 0)),
        round(spread.before_ms[i]),
        round(spread.after_ms[i]),
      ]),
    };
  return {
    head: ["quantile %", "before ms", "difference ms", "from", "to"],
    rows: quantiles.share.map((p, i) => [
      round(100 * (p ?? 0)),
      round(quantiles.before_ms[i]),
      round(quantiles.difference_ms[i]),
      round(quantiles.low_ms?.[i]),
      round(quantiles.high_ms?.[i]),
    ]),
  };
}

interface Props {
  book: string;
  number: number;
  credited: boolean;
  /** Labels of figures that lie between the body of the frames and the pauses. */
  unstable: readonly string[];
}

/** Where in the distribution the change is: both arms, the difference at every quantile, shares over the budget. */
export function SpreadLeaf({ book, number, credited, unstable }: Props) {
  const query = useSpreadLeaf(book, number);
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setShown(!shown) });
  const spread = query.data;
  if (query.error && !spread) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!spread) return <Loading what="the distribution" />;
  const rows = spread.over.map(({ figure }) => figure);
  return (
    <section>
      <LeafSentence>{spread.sentence}</LeafSentence>
      <Box sx={{ display: "flex", gap: "2px 14px", alignItems: "baseline", flexWrap: "wrap", marginTop: 8 }}>
        <h2>Where the change is</h2>
        <Text as="span" tone="faded" sx={{ fontSize: 13 }}>
          every run counts alike; ms spent (above) or saved (below) at each quantile
          {spread.quantiles?.low_ms
            ? "; the band holds for all of them at once (95 %)"
            : "; no band with these runs"}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => table(spread)}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </Box>
      </Box>
      <div ref={drawing}>
        <SpreadChart spread={spread} />
      </div>
      {unstable.length > 0 && (
        <Text small tone="faded">
          Unstable here, between the body of the frames and the pauses: {unstable.join(", ")}. See the slowest
          1 %.
        </Text>
      )}
      {shown && <TableBehind table={table(spread)} />}
      {rows.length > 0 && (
        <Box sx={{ marginTop: 16 }}>
          <h2>Frames over the budget</h2>
          <FigureTable
            label="Frames over the budget"
            head="Share of the frames"
            rows={rows.map((figure) => ({ key: figure.words.label, name: figure.words.label, figure }))}
            judged={spread.judged}
            credited={credited}
          />
        </Box>
      )}
    </section>
  );
}
