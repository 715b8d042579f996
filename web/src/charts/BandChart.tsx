import { scaleLinear } from "@visx/scale";
import { Area, LinePath } from "@visx/shape";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { SpanAxis, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

type Band = Schemas["Band"];
const MARGIN = { left: 52, right: 16, top: 20, bottom: 40 };
const TICKS = [0.01, 0.1, 0.25, 0.5, 0.75, 0.9, 0.99, 0.999];
/** Left out of the axis where there is no room. */
const FINE = [0.25, 0.75, 0.9];

/** Both tails get room: quantiles are laid out by their log odds. */
const odds = (p: number) => Math.log(p / (1 - p));

const percent = (p: number) => `${+(100 * p).toFixed(1)} %`;

const size = (ms: number) => Math.abs(ms).toFixed(2);
const side = (ms: number) => (ms > 0 ? "spent" : "saved");

/** An interval in the direction of its difference; one that holds zero names its sides. */
function ends(low: number, high: number): string {
  if (low < 0 && high > 0) return ` (${size(low)} saved to ${size(high)} spent)`;
  return high <= 0 ? ` (${size(high)} to ${size(low)})` : ` (${size(low)} to ${size(high)})`;
}

function said(band: Band, i: number): string {
  const ms = band.difference_ms[i] ?? 0;
  const [low, high] = [band.low_ms?.[i], band.high_ms?.[i]];
  const interval = low === undefined || high === undefined ? "" : ends(low, high);
  return `at ${percent(band.at[i] ?? 0)}: ${size(ms)} ms ${side(ms)}${interval}`;
}

const cut = (band: Band, upTo: number): Band => {
  const n = Math.max(2, band.at.findLastIndex((p) => p <= upTo) + 1);
  const first = (values: number[]) => values.slice(0, n);
  return {
    at: first(band.at),
    before_ms: first(band.before_ms),
    difference_ms: first(band.difference_ms),
    low_ms: band.low_ms && first(band.low_ms),
    high_ms: band.high_ms && first(band.high_ms),
  };
};

/** Milliseconds saved (down) or spent (up) at every quantile up to one, with the band that holds for all at once. */
export function BandChart({ band: whole, upTo }: { band: Band; upTo: number }) {
  const band = cut(whole, upTo);
  const { low_ms, high_ms } = band;
  const values = [...band.difference_ms, ...(low_ms ?? []), ...(high_ms ?? []), 0];
  const low = Math.min(...values);
  const high = Math.max(...values);
  const pad = (high - low || 1) * 0.08;
  const across = (frame: Frame) =>
    scaleLinear<number>({
      domain: [odds(band.at[0] ?? 0.01), odds(band.at.at(-1) ?? 0.999)],
      range: [frame.left, frame.right],
    });
  const places = band.at.map((_, i) => i);
  return (
    <Plot
      label="Difference at every quantile"
      height={222}
      margin={MARGIN}
      marks={(frame) =>
        places.map((i) => ({ x: across(frame)(odds(band.at[i] ?? 0.5)), said: said(band, i) }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({ domain: [low - pad, high + pad], range: [frame.bottom, frame.top] });
        const at = (i: number) => x(odds(band.at[i] ?? 0.5));
        const ticks = TICKS.filter(
          (p) => p <= (band.at.at(-1) ?? 1) && (frame.width > 560 || !FINE.includes(p)),
        );
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" ticks={5} said={y.tickFormat(5, "+f")} />
            <SpanAxis
              marked
              x={x}
              frame={frame}
              values={ticks.map(odds)}
              said={(o) => percent(1 / (1 + Math.exp(-o)))}
              name="slowest frames"
            />
            <SvgText x={frame.left} y={frame.height - 4}>
              quickest frames
            </SvgText>
            {low_ms && high_ms && (
              <Area
                data={places}
                x={at}
                y0={(i) => y(low_ms[i] ?? 0)}
                y1={(i) => y(high_ms[i] ?? 0)}
                fill={colour.after}
                opacity={0.22}
              />
            )}
            <path d={`M${frame.left} ${y(0)}H${frame.right}`} stroke={colour.ink} />
            <LinePath
              data={places}
              x={at}
              y={(i) => y(band.difference_ms[i] ?? 0)}
              stroke={colour.after}
              strokeWidth={1.8}
            />
          </>
        );
      }}
    </Plot>
  );
}
