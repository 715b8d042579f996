import { colour, SvgText } from "../kit";

interface Props {
  share: number;
  low: number | null;
  high: number | null;
  goal: number;
  said: string;
  width?: number;
  /** Beyond what is known: drawn hollow and dashed. */
  hollow?: boolean;
}

const HEIGHT = 18;
const PAD = 8;
/** From a hundredth of the goal's share to thirty times it, by its logarithm: the goal stands at the same place in every row. */
const LEAST = -1.5;
const MOST = 1.5;

const place = (share: number, goal: number, width: number) => {
  const decades = Math.log10(Math.max(share, goal * 1e-6) / goal);
  return PAD + ((Math.max(LEAST, Math.min(MOST, decades)) - LEAST) / (MOST - LEAST)) * (width - 2 * PAD);
};

/** A late share with its interval, against the goal: a ruled line. What leaves the strip ends in an arrow. */
export function ShareStrip({ share, low, high, goal, said, width = 190, hollow = false }: Props) {
  const middle = HEIGHT / 2;
  const x = (value: number) => place(value, goal, width);
  const beyond = (value: number) => Math.log10(Math.max(value, goal * 1e-6) / goal);
  const end = (value: number) =>
    beyond(value) < LEAST || beyond(value) > MOST ? (
      <path
        d={`M${x(value)} ${middle - 4}l${beyond(value) < LEAST ? -5 : 5} 4l${beyond(value) < LEAST ? 5 : -5} 4`}
        fill="none"
        stroke={colour.ink}
        strokeWidth={1.5}
      />
    ) : (
      <path d={`M${x(value)} ${middle - 4}v8`} stroke={colour.ink} strokeWidth={1.5} />
    );
  const half =
    low === null || high === null ? 4.5 : Math.max(1.5, Math.min(4.5, (x(high) - x(low)) / 2 - 2.5));
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={said} display="block">
      <title>{said}</title>
      <path d={`M${PAD} ${middle}H${width - PAD}`} stroke={colour.rule} />
      <path d={`M${x(goal)} 0v${HEIGHT}`} stroke={colour.ink} />
      {low !== null && high !== null && (
        <>
          <path
            d={`M${x(low)} ${middle}H${x(high)}`}
            stroke={colour.ink}
            strokeWidth={2}
            {...(hollow && { strokeDasharray: "3 3" })}
          />
          {end(low)}
          {end(high)}
        </>
      )}
      <path
        d={`M${x(share)} ${middle - half}l${half} ${half}l${-half} ${half}l${-half} ${-half}z`}
        fill={low === null || hollow ? colour.sheet : colour.ink}
        stroke={colour.ink}
      />
    </svg>
  );
}

const percent = (share: number) => `${Number((100 * share).toPrecision(2))} %`;

/** What the strips of a column are drawn over: the goal, a tenth and ten times of it. */
export function ShareScale({ goal, width = 190 }: { goal: number; width?: number }) {
  return (
    <svg width={width} height={16} role="img" aria-label={`goal ${percent(goal)}`} display="block">
      {[goal / 10, goal, goal * 10].map((share) => (
        <SvgText key={share} x={place(share, goal, width)} y={12} textAnchor="middle" ink={share === goal}>
          {share === goal ? `goal ${percent(share)}` : percent(share)}
        </SvgText>
      ))}
    </svg>
  );
}
