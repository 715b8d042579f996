import Button from "@mui/material/Button";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useAnswerTrial, useBeginTrial, useEndTrial, useTrials, useWatch } from "../../api/evidence";
import { moment } from "../../app/days";
import { useKeys } from "../../app/keys";
import { Failure, Loading, Refused } from "../../app/states";
import { type Lane, Lanterns } from "../../charts/Lanterns";
import { Box, Choice, Line, Text, TextButton } from "../../kit";

type Watched = Schemas["Watch"];
type Trial = Schemas["Trial"];
type Shown = "before" | "after" | `${number}`;

const RATES = [24, 30, 45, 60, 72, 90, 120] as const;
const SPEEDS = [
  [1, "as it was"],
  [0.5, "half as fast"],
  [0.25, "a quarter"],
  [0.1, "a tenth"],
] as const;
/** So long is watched at a time where nobody asks otherwise, and at most, s. */
const USUAL_S = 8;

/** How both arms move: a lantern swings at the intervals that were recorded, and a trial says whether it is seen. */
export function WatchLeaf({ book, number }: { book: string; number: number }) {
  const [search, setSearch] = useSearchParams();
  const from = Number(search.get("from")) || 0;
  const query = useWatch(book, number, from);
  const [trial, setTrial] = useState<Trial | null>(null);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const watched = query.data;
  if (!watched) return <Loading what="the recorded intervals" />;
  const go = (to: number) => {
    search.set("from", String(to));
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  return (
    <section>
      {trial && !trial.ended_at ? (
        <Blind book={book} number={number} watched={watched} trial={trial} told={setTrial} />
      ) : (
        <>
          <Open watched={watched} go={go} />
          <Trials book={book} number={number} watched={watched} over={trial} begun={setTrial} />
        </>
      )}
    </section>
  );
}

const nameOf = (shown: Shown) =>
  shown === "before" || shown === "after" ? shown : `${shown} a second, even`;

function laneOf(watched: Watched, shown: Shown, twice: string): Lane {
  const name = `${nameOf(shown)}${twice}`;
  if (shown === "before" || shown === "after")
    return { name, as: shown, pace: { frames: watched[shown].frame_ms } };
  return { name, as: "blind", pace: { rate: Number(shown) } };
}

function Open({ watched, go }: { watched: Watched; go: (to: number) => void }) {
  const [left, setLeft] = useState<Shown>("before");
  const [right, setRight] = useState<Shown>("after");
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(1);
  const [heard, setHeard] = useState<number | null>(null);
  useKeys({ p: () => setPlaying(!playing) });
  const choose = (label: string, shown: Shown, set: (to: Shown) => void) => (
    <Choice aria-label={label} value={shown} onChange={(e) => set(e.target.value as Shown)}>
      <option value="before">before</option>
      <option value="after">after</option>
      {RATES.map((rate) => (
        <option key={rate} value={rate}>
          {rate} a second, even
        </option>
      ))}
    </Choice>
  );
  const sections = watched.sections.filter((s) => s.to_s - s.from_s > 0);
  return (
    <>
      <Line sx={{ marginBottom: 8, alignItems: "center" }}>
        <Text as="span" tone="faded">
          from
        </Text>
        <Choice
          aria-label="Where on the course"
          value={sections.find((s) => s.from_s === watched.from_s)?.from_s ?? watched.from_s}
          onChange={(e) => go(Number(e.target.value))}
        >
          {!sections.some((s) => s.from_s === watched.from_s) && (
            <option value={watched.from_s}>{watched.from_s.toFixed(0)} s</option>
          )}
          {sections.map((s) => (
            <option key={`${s.name} ${s.from_s}`} value={s.from_s}>
              {s.from_s.toFixed(0)} s{s.name && `, ${s.name}`}
            </option>
          ))}
        </Choice>
        <Text as="span" tone="faded">
          for {(watched.to_s - watched.from_s).toFixed(0)} s
        </Text>
        {choose("Left lantern", left, setLeft)}
        {choose("Right lantern", right, setRight)}
        <Choice aria-label="Speed" value={speed} onChange={(e) => setSpeed(Number(e.target.value))}>
          {SPEEDS.map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Choice>
        <Choice
          aria-label="Sound"
          value={heard ?? ""}
          onChange={(e) => setHeard(e.target.value === "" ? null : Number(e.target.value))}
        >
          <option value="">no sound</option>
          <option value={0}>tick, left</option>
          <option value={1}>tick, right</option>
        </Choice>
        <Button onClick={() => setPlaying(!playing)}>{playing ? "Hold it" : "Let it swing"}&ensp;p</Button>
      </Line>
      <Lanterns
        lanes={[laneOf(watched, left, ""), laneOf(watched, right, left === right ? ", again" : "")]}
        playing={playing}
        speed={speed}
        heard={heard}
        beat={watched.target_fps}
      />
    </>
  );
}

interface BlindProps {
  book: string;
  number: number;
  watched: Watched;
  trial: Trial;
  told: (trial: Trial) => void;
}

/** One presentation after the other: which looks smoother, without a word of which is which. */
function Blind({ book, number, watched, trial, told }: BlindProps) {
  const answer = useAnswerTrial(book, number);
  const end = useEndTrial(book, number);
  const at = trial.answers.length;
  const after = trial.sides[at];
  const busy = answer.isPending || end.isPending;
  const say = (side: "left" | "right") =>
    !busy && answer.mutate({ trial: trial.id, number: at, side }, { onSuccess: told });
  useKeys({ ArrowLeft: () => say("left"), ArrowRight: () => say("right") });
  const lane = (side: "left" | "right"): Lane => ({
    name: side,
    as: "blind",
    pace: { frames: watched[side === after ? "after" : "before"].frame_ms },
  });
  return (
    <>
      <Line sx={{ marginBottom: 8, alignItems: "center" }} role="status">
        <b>
          Which swings more smoothly? {at + 1} of {trial.presentations}
        </b>
        <Text as="span" small tone="faded">
          sides are drawn at random each time; what was answered stays
        </Text>
      </Line>
      <Lanterns key={at} lanes={[lane("left"), lane("right")]} playing speed={1} heard={null} beat={null} />
      <Line sx={{ marginTop: 10, justifyContent: "center" }}>
        <Button disabled={busy} onClick={() => say("left")}>
          ← The left one
        </Button>
        <Button disabled={busy} onClick={() => say("right")}>
          The right one →
        </Button>
        <TextButton small faded disabled={busy} onClick={() => end.mutate(trial.id, { onSuccess: told })}>
          break it off
        </TextButton>
      </Line>
      <Refused error={answer.error ?? end.error} />
    </>
  );
}

interface TrialsProps {
  book: string;
  number: number;
  watched: Watched;
  over: Trial | null;
  begun: (trial: Trial) => void;
}

/** Trials that were made, and another. */
function Trials({ book, number, watched, over, begun }: TrialsProps) {
  const begin = useBeginTrial(book, number);
  const trials = useTrials(book, number);
  const [presentations, setPresentations] = useState(8);
  const to = Math.min(watched.length_s, watched.from_s + USUAL_S);
  return (
    <Box component="section" aria-label="Blind trials" sx={{ marginTop: 18 }}>
      <h2>Can it be seen?</h2>
      <Text tone="faded" size={13}>
        A blind trial shows both arms side by side without saying which is which, and asks each time which
        swings more smoothly. The answers, and how often guessing would do as well, are kept with the entry.
      </Text>
      {over?.result && (
        <p role="status">
          <b>{over.result.said}</b>
        </p>
      )}
      <Line sx={{ margin: "8px 0", alignItems: "center" }}>
        <Choice
          aria-label="Presentations"
          value={presentations}
          onChange={(e) => setPresentations(Number(e.target.value))}
        >
          {[5, 8, 12, 20, 30].map((n) => (
            <option key={n} value={n}>
              {n} times
            </option>
          ))}
        </Choice>
        <Button
          disabled={begin.isPending}
          onClick={() =>
            begin.mutate({ from_s: watched.from_s, to_s: to, presentations }, { onSuccess: begun })
          }
        >
          Begin a blind trial
        </Button>
      </Line>
      <Refused error={begin.error} />
      {trials.data && trials.data.length > 0 && (
        <ul>
          {trials.data.map((trial) => (
            <li key={trial.id}>
              {trial.by}, {moment(trial.begun_at)}, from {trial.from_s.toFixed(0)} to {trial.to_s.toFixed(0)}{" "}
              s: {trial.result?.said}
            </li>
          ))}
        </ul>
      )}
    </Box>
  );
}
