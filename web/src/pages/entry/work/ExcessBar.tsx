import { colour, SvgText } from "../../../kit";

interface Piece {
  name: string;
  /** Share of the whole, 0 to 1. */
  share: number;
  /** Hatched: what no part names. */
  rest: boolean;
}

const HEIGHT = 26;
/** Narrower pieces carry no name. */
const NAMED = 0.1;

/** One bar of 100 %, darkest what there is most of, and the rest hatched. Pieces below zero are not drawn. */
export function ExcessBar({ pieces, label }: { pieces: readonly Piece[]; label: string }) {
  const drawn = pieces
    .filter((piece) => piece.share > 0)
    .sort((a, b) => Number(a.rest) - Number(b.rest) || b.share - a.share);
  const total = drawn.reduce((sum, piece) => sum + piece.share, 0);
  const id = `rest-${label.replace(/\W/g, "")}`;
  let at = 0;
  return (
    <svg
      role="img"
      aria-label={`${label}: ${drawn.map((p) => `${p.name} ${Math.round(100 * p.share)} %`).join(", ")}`}
      width="100%"
      height={HEIGHT + 20}
      style={{ display: "block", maxWidth: 900 }}
    >
      <pattern id={id} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V6" stroke={colour.faded} strokeWidth="1.5" />
      </pattern>
      {drawn.map((piece, i) => {
        const from = at;
        const wide = piece.share / total;
        at += wide;
        return (
          <g key={piece.name}>
            <rect
              x={`${100 * from}%`}
              width={`${100 * wide}%`}
              height={HEIGHT}
              fill={piece.rest ? `url(#${id})` : colour.ink}
              fillOpacity={piece.rest ? 1 : Math.max(0.12, 0.85 - 0.18 * i)}
              stroke={colour.sheet}
            />
            {wide >= NAMED && (
              <SvgText x={`${100 * from}%`} y={HEIGHT + 15} ink>
                {piece.name} {Math.round(100 * piece.share)} %
              </SvgText>
            )}
          </g>
        );
      })}
    </svg>
  );
}
