import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { useWidth } from "./useWidth";

type Band = Schemas["Band"];
const HEIGHT = 210;
const LEFT = 52;
const TICKS = [0.01, 0.1, 0.25, 0.5, 0.75, 0.9, 0.99, 0.999];

/** Both tails get room: quantiles are laid out by their log odds. */
const odds = (p: number) => Math.log(p / (1 - p));

/** Left out of the axis where there is no room. */
const FINE = [0.25, 0.75, 0.9];

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
  const [ref, width] = useWidth<HTMLDivElement>(900);
  const band = cut(whole, upTo);
  const ticks = TICKS.filter(
    (p) => p <= (band.at[band.at.length - 1] ?? 1) && (width > 560 || !FINE.includes(p)),
  );
  const values = [...band.difference_ms, ...(band.low_ms ?? []), ...(band.high_ms ?? []), 0];
  const low = Math.min(...values);
  const high = Math.max(...values);
  const pad = (high - low || 1) * 0.08;
  const y = scaleLinear([low - pad, high + pad], [HEIGHT - 40, 8]);
  const x = scaleLinear(
    [odds(band.at[0] ?? 0.01), odds(band.at[band.at.length - 1] ?? 0.999)],
    [LEFT, width - 16],
  );
  const at = (i: number) => x(odds(band.at[i] ?? 0.5));
  const points = (ms: number[]) => ms.map((v, i) => `${at(i).toFixed(1)} ${y(v).toFixed(1)}`);
  const middle = `M${points(band.difference_ms).join("L")}`;
  const shade =
    band.low_ms &&
    band.high_ms &&
    `M${points(band.low_ms).join("L")}L${points(band.high_ms).reverse().join("L")}Z`;
  return (
    <div ref={ref}>
      <svg width={width} height={HEIGHT} role="img" aria-label="Difference at every quantile">
        {y.ticks(5).map((tick) => (
          <g key={tick}>
            <path d={`M${LEFT} ${y(tick)}H${width - 16}`} stroke={colour.rule} strokeWidth={0.6} />
            <SvgText x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
              {y.tickFormat(5, "+f")(tick)}
            </SvgText>
          </g>
        ))}
        {ticks.map((p) => (
          <g key={p}>
            <path d={`M${x(odds(p))} ${HEIGHT - 40}v5`} stroke={colour.faded} />
            <SvgText x={x(odds(p))} y={HEIGHT - 22} textAnchor="middle">
              {+(100 * p).toFixed(1)} %
            </SvgText>
          </g>
        ))}
        <SvgText x={LEFT} y={HEIGHT - 4}>
          quickest frames
        </SvgText>
        <SvgText x={width - 16} y={HEIGHT - 4} textAnchor="end">
          slowest frames
        </SvgText>
        {shade && <path d={shade} fill={colour.after} opacity={0.22} />}
        <path d={`M${LEFT} ${y(0)}H${width - 16}`} stroke={colour.ink} />
        <path d={middle} fill="none" stroke={colour.after} strokeWidth={1.8} />
      </svg>
    </div>
  );
}
