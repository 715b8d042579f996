import { styled } from "@mui/material/styles";
import { useEffect, useState } from "react";
import { Link, useLocation, useParams } from "react-router";
import { useEntries, useEntry, useGoals, useScenarios } from "../../api/queries";
import { colour, Line, PartTitle, Text, TextButton } from "../../kit";
import { CASE, CHANGE, type Facts, STEPS, stepOf } from "./steps";

const Margin = styled("aside")(({ theme }) => ({
  borderTop: `3px double ${colour.rule}`,
  background: colour.sheet,
  padding: "10px 22px 14px",
  display: "grid",
  gridTemplateColumns: "minmax(0, 1.2fr) minmax(0, 1fr)",
  gap: "6px 30px",
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

/** Pages of the case that were read, kept in this browser. */
function useSeen(book: string, entry: number | null, recorded: boolean): readonly string[] {
  const name = `first case ${book}`;
  const [seen, setSeen] = useState<readonly string[]>(() => JSON.parse(localStorage.getItem(name) ?? "[]"));
  const place = useLocation().pathname;
  useEffect(() => {
    if (!recorded) return;
    const now =
      place === `/${book}/entries/${entry}`
        ? "verdict"
        : place.startsWith(`/${book}/runs/`) && seen.includes("verdict")
          ? "run"
          : "";
    if (!now || seen.includes(now)) return;
    const all = [...seen, now];
    localStorage.setItem(name, JSON.stringify(all));
    setSeen(all);
  }, [place, book, entry, recorded, seen, name]);
  return seen;
}

/** What the book holds of the case; null until it is known. */
function useFacts(book: string): Facts | null {
  const scenarios = useScenarios(book);
  const scenario = scenarios.data?.find((s) => s.name === CASE);
  const goals = useGoals(book, scenario?.id ?? 0, scenario !== undefined);
  const entries = useEntries(book, { find: CHANGE });
  // Another course may have an entry of the same title: it is not this case's.
  const found = entries.data?.pages[0]?.results.find(
    (e) => e.title === CHANGE && (e.scenario === "" || e.scenario === CASE),
  );
  const entry = useEntry(book, found?.number ?? 0, found !== undefined);
  const recorded = found?.verdict != null;
  const seen = useSeen(book, found?.number ?? null, recorded);
  if (!scenarios.data || !entries.data) return null;
  return {
    scenario: scenario !== undefined,
    goal: (goals.data?.length ?? 0) > 0,
    entry: found?.number ?? null,
    recording: entry.data?.recording ?? null,
    recorded,
    decided: (found?.decision ?? null) !== null,
    seen,
  };
}

/** The guided first case, at the foot of every page until it is put away. */
export default function Guide({ close }: { close: () => void }) {
  const { book = "" } = useParams();
  const facts = useFacts(book);
  if (!facts) return null;
  const at = stepOf(facts);
  const step = STEPS[at];
  if (!step)
    return (
      <Margin aria-label="First case">
        <div>
          <PartTitle>The first case is closed</PartTitle>
          <Text>
            A goal, an expectation, runs in random order, a verdict, a decision: each next change goes the
            same way.
          </Text>
        </div>
        <Line sx={{ justifyContent: "flex-end" }}>
          <TextButton small onClick={close}>
            put it away
          </TextButton>
        </Line>
      </Margin>
    );
  const to = step.to(facts);
  return (
    <Margin aria-label="First case">
      <div>
        <Text small tone="faded">
          First case, step {at + 1} of {STEPS.length}
        </Text>
        <PartTitle>{step.name}</PartTitle>
        <Text role="status">{step.todo}</Text>
        <Line sx={{ marginTop: 4 }}>
          <Link to={`/${book}${to && `/${to}`}`}>Go there</Link>
          <TextButton small faded onClick={close}>
            put it away: g
          </TextButton>
        </Line>
      </div>
      <Text as="div" size={13}>
        <p>
          <b>Why.</b> {step.why}
        </p>
        <p>
          <b>A wrong reading.</b> <Text as="span">{step.wrong}</Text>
        </p>
      </Text>
    </Margin>
  );
}
