import { colour } from "../kit";
import { bases, pieces } from "./trend";

interface Props {
  label: string;
  points: readonly { x: number; value: number; stretch: number }[];
  width?: number;
  /** The height stands for this much at least, so that a line that hardly moves looks so. */
  least?: number;
}

const HEIGHT = 30;

/** A line over builds in the height of a row: levels alone, the newest as a dot. */
export function SmallLine({ label, points, width = 190, least = 0 }: Props) {
  if (points.length === 0) return null;
  const places = [...new Set(points.map((p) => p.x))].sort((a, b) => a - b);
  const numbered = points.map((p) => ({ ...p, x: places.indexOf(p.x) }));
  const base = bases(numbered);
  const at = (p: { x: number; stretch: number }) => p.x + (base[p.stretch] ?? 0);
  const most = Math.max(1, ...numbered.map(at));
  const values = numbered.map((p) => p.value);
  const [bottom, top] = [Math.min(...values), Math.max(...values)];
  const spare = Math.max(0, least - (top - bottom)) / 2;
  const [low, high] = [bottom - spare, top + spare];
  const x = (p: { x: number; stretch: number }) => 3 + ((width - 8) * at(p)) / most;
  const y = (value: number) =>
    high > low ? 4 + (HEIGHT - 8) * (1 - (value - low) / (high - low)) : HEIGHT / 2;
  const newest = numbered.reduce((one, other) => (at(other) >= at(one) ? other : one));
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={label} display="block">
      {pieces(numbered, () => false).map((piece) => (
        <path
          key={`${piece[0]?.stretch} ${piece[0]?.x}`}
          d={`M${piece.map((p) => `${x(p)} ${y(p.value)}`).join("L")}`}
          fill="none"
          stroke={colour.ink}
          strokeWidth={1.2}
          strokeLinejoin="round"
        />
      ))}
      <circle cx={x(newest)} cy={y(newest.value)} r={2.6} fill={colour.ink} />
    </svg>
  );
}
