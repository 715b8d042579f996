import { styled } from "@mui/material/styles";
import { useEffect, useMemo, useRef } from "react";
import { colour } from "../kit";
import { BEAT, click, TICK } from "./click";
import { angleAt, type Beats, beatsOf, endsWithin, ownPace, type Pace, shownAt } from "./swing";

export interface Lane {
  name: string;
  pace: Pace;
  /** How it is drawn; blind ones are drawn alike. */
  as: "before" | "after" | "blind";
}

interface Props {
  lanes: readonly [Lane, Lane];
  playing: boolean;
  /** 1 as it was, 0.25 four times as slow. */
  speed: number;
  /** Which lantern's frames tick, and the rate of the soft beat against them. */
  heard: number | null;
  beat: number | null;
}

const Stage = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "1fr 1fr",
  gap: 2,
  border: `1px solid ${colour.rule}`,
  "& svg": { display: "block", width: "100%", height: 260 },
  "& figure": { margin: 0, textAlign: "center", paddingBottom: 8 },
  [theme.breakpoints.down("sm")]: { "& svg": { height: 180 } },
}));

/** Ahead of what is heard, ms: the page may be late by as much. */
const AHEAD_MS = 120;
/** Intervals of this page that are looked at: some four seconds. */
const KEPT = 240;

const heldOf = (pace: Pace) => ("rate" in pace ? pace.rate : pace.frames);
const paceOf = (held: number | readonly number[]): Pace =>
  typeof held === "number" ? { rate: held } : { frames: held };

/** Two lanterns on their poles, each drawn at the moments at which a frame of its arm began. */
export function Lanterns({ lanes, playing, speed, heard, beat }: Props) {
  const hung = [useRef<SVGGElement>(null), useRef<SVGGElement>(null)] as const;
  const own = useRef<HTMLParagraphElement>(null);
  const at = useRef(0);
  // A lane is a new object each time; what it swings at is not.
  const [left, right] = [heldOf(lanes[0].pace), heldOf(lanes[1].pace)];
  const beats = useMemo(() => [beatsOf(paceOf(left)), beatsOf(paceOf(right))], [left, right]);
  useEffect(() => {
    if (!playing) return;
    const loop = Math.min(...beats.map((b) => b.whole), 60_000);
    const sound = heard === null ? null : new Sound(beats[heard] ?? null, beat);
    const intervals: number[] = [];
    let last: number | null = null;
    let said = 0;
    let frame = requestAnimationFrame(function step(now) {
      if (last !== null) {
        intervals.push(now - last);
        if (intervals.length > KEPT) intervals.shift();
        at.current += (now - last) * speed;
        if (at.current >= loop) {
          at.current %= loop;
          sound?.from(at.current);
        }
      }
      last = now;
      beats.forEach((b, i) => {
        const lantern = hung[i]?.current;
        lantern?.setAttribute("transform", `rotate(${angleAt(shownAt(b, at.current)).toFixed(3)} 100 24)`);
      });
      sound?.upTo(at.current, speed);
      if (now - said > 500 && own.current) {
        said = now;
        const pace = ownPace(intervals);
        if (pace)
          own.current.textContent = `This page draws ${pace.rate.toFixed(0)} pictures a second, ${pace.longest.toFixed(1)} ms the longest of the last; what is quicker than that cannot be seen here.`;
      }
      frame = requestAnimationFrame(step);
    });
    return () => {
      cancelAnimationFrame(frame);
      sound?.close();
    };
  }, [playing, speed, heard, beat, beats, hung[0], hung[1]]);
  return (
    <>
      <Stage>
        {lanes.map((lane, i) => (
          <figure key={lane.name}>
            <svg viewBox="0 0 200 200" role="img" aria-label={`Lantern, ${lane.name}`}>
              <line x1={40} x2={160} y1={24} y2={24} stroke={colour.ink} strokeWidth={2} />
              <g ref={hung[i]}>
                <Drawn as={lane.as} />
              </g>
            </svg>
            <figcaption>{lane.name}</figcaption>
          </figure>
        ))}
      </Stage>
      <Own ref={own}>{playing ? " " : "The typical run of each arm; it hangs still until it is let go."}</Own>
    </>
  );
}

const Own = styled("p")({
  fontSize: 12,
  color: colour.faded,
  margin: "4px 0 0",
  fontVariantNumeric: "tabular-nums",
});

/** A paper lantern on its line: before hollow and dashed, after solid. */
function Drawn({ as }: { as: Lane["as"] }) {
  const stroke = as === "before" ? colour.before : as === "after" ? colour.after : colour.ink;
  return (
    <>
      <line x1={100} x2={100} y1={24} y2={120} stroke={colour.faded} />
      <rect
        x={82}
        y={120}
        width={36}
        height={46}
        rx={12}
        fill={as === "after" ? stroke : "none"}
        stroke={stroke}
        strokeWidth={2}
        strokeDasharray={as === "before" ? "5 4" : undefined}
      />
      <line x1={90} x2={110} y1={170} y2={170} stroke={stroke} strokeWidth={2} />
    </>
  );
}

/** A tick where each frame ends, and a soft beat at the target: begun a little ahead, on the sound card's own clock. */
class Sound {
  private readonly context = new AudioContext();
  private done = 0;
  constructor(
    private readonly beats: Beats | null,
    private readonly rate: number | null,
  ) {}

  from(at: number) {
    this.done = at;
  }

  upTo(at: number, speed: number) {
    const until = at + AHEAD_MS * speed;
    const begin = Math.max(this.done, at);
    if (until <= begin) return;
    const when = (ms: number) => this.context.currentTime + (ms - at) / 1000 / speed;
    if (this.beats)
      for (const end of endsWithin(this.beats, begin, until)) click(this.context, when(end), TICK);
    if (this.rate)
      for (const end of endsWithin(
        { starts: new Float64Array(), whole: 0, step: 1000 / this.rate },
        begin,
        until,
      ))
        click(this.context, when(end), BEAT);
    this.done = until;
  }

  close() {
    void this.context.close();
  }
}
