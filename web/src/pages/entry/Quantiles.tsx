import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { BandChart } from "../../charts/BandChart";
import { ChartTools, TableBehind } from "../../charts/copy";
import type { ChartTable } from "../../charts/table";
import { Box, Text } from "../../kit";

function table(band: Schemas["Band"]): ChartTable {
  const ms = (v: number | undefined) => (v === undefined ? null : Number(v.toPrecision(4)));
  return {
    head: ["quantile %", "before ms", "difference ms", "from", "to"],
    rows: band.at.map((p, i) => [
      Number((100 * p).toFixed(1)),
      ms(band.before_ms[i]),
      ms(band.difference_ms[i]),
      ms(band.low_ms?.[i]),
      ms(band.high_ms?.[i]),
    ]),
  };
}

/** A quantile with fewer frames of a run beyond it is in the table, not in the drawing. */
const LEAST_BEYOND = 10;

/** Where in the distribution the change is: the difference at every quantile. */
export function Quantiles({
  band,
  unstable,
  frames,
}: {
  band: Schemas["Band"];
  unstable: string[];
  frames: number;
}) {
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <Box sx={{ display: "flex", gap: "2px 14px", alignItems: "baseline", flexWrap: "wrap" }}>
        <h2>Where the change is</h2>
        <Text as="span" tone="faded" sx={{ fontSize: 13 }}>
          ms spent (above) or saved (below) at each quantile of the frames
          {band.low_ms ? "; the band holds for all of them at once (95 %)" : "; no band with these runs"}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => table(band)}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </Box>
      </Box>
      <div ref={drawing}>
        <BandChart band={band} upTo={1 - LEAST_BEYOND / frames} />
      </div>
      {unstable.length > 0 && (
        <Text small tone="faded">
          Unstable here, between the body of the frames and the pauses: {unstable.join(", ")}. See the slowest
          1 %.
        </Text>
      )}
      {shown && <TableBehind table={table(band)} />}
    </Box>
  );
}
