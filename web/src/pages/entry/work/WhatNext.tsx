import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type Rule, useDecisionTable, useWhatNext } from "../../../api/backlog";
import { useOpenEntry } from "../../../api/queries";
import { useMay } from "../../../app/role";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import { Box, Choice, Line, RuledList, Text, TextButton, TextInput } from "../../../kit";
import { Handing } from "../../statement/HandOvers";
import { useAsked } from "./heads";

type Found = NonNullable<ReturnType<typeof useWhatNext>["data"]>;
type Proposal = Found["proposals"][number];

const LIMITS: readonly (readonly [string, string])[] = [
  ["", "whatever limits"],
  ["processor", "the processor limits"],
  ["graphics", "graphics limit"],
  ["balanced", "lanes balance"],
  ["paced", "frames are paced"],
  ["no lane", "no lane explains them"],
];
const LATES: readonly (readonly [string, string])[] = [
  ["", "whatever is late"],
  ["a part", "late frames are mostly a part more"],
  ["level", "late frames are so by level"],
  ["few", "late frames are few"],
];
const NEW: Rule = {
  title: "",
  expected: "",
  ask: "",
  limit: "",
  late: "",
  counter: "",
  over: true,
  value: null,
};

const saidOf = (known: readonly (readonly [string, string])[], key: string) =>
  known.find(([one]) => one === key)?.[1] ?? key;

/** What must hold for a rule, in words. */
const when = (rule: Rule) =>
  [
    rule.limit && saidOf(LIMITS, rule.limit),
    rule.late && saidOf(LATES, rule.late),
    rule.counter && `${rule.counter} is ${rule.over ? "over" : "under"} ${rule.value}`,
  ]
    .filter(Boolean)
    .join(", and ");

/** A test to plan or somebody to ask, with what it rests on. */
function Proposed({ book, number, one }: { book: string; number: number; one: Proposal }) {
  const may = useMay();
  const navigate = useNavigate();
  const open = useOpenEntry(book);
  const [asking, setAsking] = useState(false);
  const why = one.evidence.map((rests) => rests.said).join(" ");
  const plan = () =>
    open.mutate(
      { title: one.title, why, expected: one.expected },
      { onSuccess: (entry) => navigate(`/${book}/bench/plan?entry=${entry.number}`) },
    );
  return (
    <li>
      <Line>
        <b>{one.title}</b>
        {may.write &&
          (one.ask ? (
            <TextButton small onClick={() => setAsking(true)}>
              ask a specialist
            </TextButton>
          ) : (
            <TextButton small onClick={plan} disabled={open.isPending}>
              plan this test
            </TextButton>
          ))}
      </Line>
      {(one.expected || one.ask) && <div>{one.expected || one.ask}</div>}
      {one.evidence.map((rests) => (
        <Text key={rests.said} as="div" tone="faded">
          Since: {rests.said}{" "}
          <Link to={`/${book}/entries/${number}/work${rests.see ? `?see=${rests.see}` : ""}`}>see it</Link>
        </Text>
      ))}
      {open.error && (
        <Text tone="spent" role="alert">
          {open.error.message}
        </Text>
      )}
      {asking && (
        <Handing
          book={book}
          number={number}
          asked={`${one.title} ${one.ask} What was found: ${why}`}
          close={() => setAsking(false)}
        />
      )}
    </li>
  );
}

/** The book's decision table: rules that can be taken away and added. */
function Rules({ book, found }: { book: string; found: Found }) {
  const may = useMay();
  const write = useDecisionTable(book);
  const [rule, setRule] = useState<Rule | null>(null);
  const [said, setSaid] = useState("");
  const set = (change: Partial<Rule>) => rule && setRule({ ...rule, ...change });
  const send = (rules: Rule[]) =>
    write.mutate({ rules }, { onSuccess: () => setRule(null), onError: (error) => setSaid(error.message) });
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        The decision table
        <Text as="span" tone="faded" aside>
          {found.own ? "the book's own" : "as books begin with it"}
        </Text>
      </h2>
      <RuledList aria-label="Rules" sx={{ maxWidth: 900 }}>
        {found.rules.map((one, i) => (
          <li key={`${one.title} ${when(one)}`}>
            If {when(one)}: <b>{one.title}</b>{" "}
            {one.ask && (
              <Text as="span" tone="faded">
                ask {one.ask}
              </Text>
            )}{" "}
            {may.write && (
              <TextButton
                small
                faded
                aria-label={`take away ${one.title}`}
                disabled={write.isPending}
                onClick={() => send(found.rules.filter((_, j) => j !== i))}
              >
                take away
              </TextButton>
            )}
          </li>
        ))}
      </RuledList>
      {may.write && !rule && (
        <Button sx={{ marginTop: 8 }} onClick={() => setRule(NEW)}>
          Another rule
        </Button>
      )}
      {rule && (
        <Box
          component="form"
          aria-label="Another rule"
          noValidate
          sx={{ display: "flex", gap: 8, flexWrap: "wrap", marginTop: 8, alignItems: "center" }}
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault();
            setSaid("");
            if (!rule.title.trim()) setSaid("What is proposed?");
            else if (!when(rule)) setSaid("A rule needs something that must hold.");
            else send([...found.rules, rule]);
          }}
        >
          If
          <Choice
            aria-label="What limits"
            value={rule.limit}
            onChange={(e) => set({ limit: e.target.value })}
          >
            {LIMITS.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="What late frames are"
            value={rule.late}
            onChange={(e) => set({ late: e.target.value })}
          >
            {LATES.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="Counter"
            value={rule.counter}
            onChange={(e) =>
              set({ counter: e.target.value, value: e.target.value ? (rule.value ?? 0) : null })
            }
          >
            <option value="">no counter</option>
            {found.counters.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </Choice>
          {rule.counter && (
            <>
              <Choice
                aria-label="Over or under"
                value={rule.over ? "over" : "under"}
                onChange={(e) => set({ over: e.target.value === "over" })}
              >
                <option>over</option>
                <option>under</option>
              </Choice>
              <TextInput
                aria-label="Value of the counter"
                inputMode="decimal"
                sx={{ width: 90 }}
                defaultValue={String(rule.value ?? 0)}
                onChange={(e) => set({ value: Number(e.target.value.replace(",", ".")) || 0 })}
              />
            </>
          )}
          <TextInput
            aria-label="What is proposed"
            placeholder="the test; {lane}, {part}, {leg} are filled in"
            sx={{ flex: 1, minWidth: 220 }}
            value={rule.title}
            onChange={(e) => set({ title: e.target.value })}
          />
          <TextInput
            aria-label="What is expected of it"
            placeholder="what is expected of it"
            sx={{ flex: 1, minWidth: 220 }}
            value={rule.expected ?? ""}
            onChange={(e) => set({ expected: e.target.value })}
          />
          <TextInput
            aria-label="Whom to ask"
            placeholder="or whom to ask"
            sx={{ flex: 1, minWidth: 160 }}
            value={rule.ask ?? ""}
            onChange={(e) => set({ ask: e.target.value })}
          />
          <Button type="submit" disabled={write.isPending}>
            Add the rule
          </Button>
          <Button onClick={() => setRule(null)}>Leave</Button>
        </Box>
      )}
      {said && (
        <Text tone="spent" role="alert">
          {said}
        </Text>
      )}
    </Box>
  );
}

/** What to try next, by the book's decision table; each proposal shows what it rests on. */
export function WhatNext({ book, number }: { book: string; number: number }) {
  const { arm, choose } = useAsked();
  const query = useWhatNext(book, number, arm);
  const found = query.data;
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="what could be next" />;
  return (
    <section>
      <Line>
        <Choice aria-label="Arm" value={arm} onChange={(e) => choose("arm", e.target.value)}>
          <option value="after">of the frames after</option>
          <option value="before">of the frames before</option>
        </Choice>
        <Text as="span" tone="faded" size={13}>
          <Word of="next">proposals</Word>, each with what it rests on
        </Text>
      </Line>
      {found.proposals.length === 0 ? (
        <Text tone="faded" sx={{ marginTop: 8 }}>
          No rule of the table holds here.
        </Text>
      ) : (
        <RuledList aria-label="Proposals" sx={{ maxWidth: 900, marginTop: 8 }}>
          {found.proposals.map((one) => (
            <Proposed key={`${one.title} ${one.ask}`} book={book} number={number} one={one} />
          ))}
        </RuledList>
      )}
      <Rules book={book} found={found} />
    </section>
  );
}
