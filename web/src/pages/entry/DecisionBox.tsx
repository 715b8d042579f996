import Button from "@mui/material/Button";
import { useState } from "react";
import type { Entry, Schemas } from "../../api/client";
import { useDecide } from "../../api/queries";
import { day } from "../../app/days";
import { Box, Choice, Field, Framed, Text, TextButton, TextInput } from "../../kit";

type Mark = NonNullable<Schemas["DecisionInRequest"]["expectation"]>;
type Verb = Schemas["DecisionInRequest"]["choice"];
const CHOICES: [Verb, string][] = [
  ["kept", "Keep"],
  ["dropped", "Drop"],
  ["more runs", "More runs"],
  ["record again", "Record again"],
];
/** What was decided, by whom and why; a new decision is added, none is lost. */
export function DecisionBox({ book, entry }: { book: string; entry: Entry }) {
  const decide = useDecide(book, entry.number);
  const [open, setOpen] = useState(entry.decisions.length === 0);
  const [why, setWhy] = useState("");
  const [mark, setMark] = useState<Mark>(entry.held.expectation);
  const choose = (choice: Verb) =>
    decide.mutate(
      { choice, why, expectation: entry.expected ? mark : "" },
      {
        onSuccess: () => {
          setOpen(false);
          setWhy("");
        },
      },
    );
  return (
    <section>
      <Box component="h2" sx={{ marginBottom: 6 }}>
        Decision
      </Box>
      {entry.decisions.map((d, i) => (
        <Framed role="note" key={d.decided_at} sx={{ marginBottom: 6, opacity: i ? 0.75 : 1 }}>
          <b>{d.choice.charAt(0).toUpperCase() + d.choice.slice(1)}</b> by {d.by}, {day(d.decided_at)}
          {d.expectation && <div>The expectation: {d.expectation}</div>}
          {d.why && (
            <Text as="div" tone="faded">
              {d.why}
            </Text>
          )}
        </Framed>
      ))}
      {open ? (
        <Box sx={{ display: "grid", gap: 8 }}>
          <Field label="Why, and what it costs elsewhere">
            <TextInput value={why} onChange={(e) => setWhy(e.target.value)} lines={2} />
          </Field>
          {entry.expected && (
            <Text as="label" small>
              The expectation was{" "}
              <Choice
                aria-label="The expectation was"
                value={mark}
                onChange={(e) => setMark(e.target.value as Mark)}
              >
                <option value="">not marked</option>
                <option value="supported">supported</option>
                <option value="exceeded">exceeded</option>
                <option value="not supported">not supported</option>
                <option value="undecided">undecided</option>
              </Choice>
              {entry.held.sentence && (
                <Text as="span" tone="faded" sx={{ display: "block", marginTop: 4 }}>
                  Over the whole course, the runs say {entry.held.expectation}. {entry.held.sentence}
                </Text>
              )}
            </Text>
          )}
          <Box sx={{ display: "flex", gap: 6, flexWrap: "wrap" }}>
            {CHOICES.map(([choice, label]) => (
              <Button key={choice} disabled={decide.isPending} onClick={() => choose(choice)}>
                {label}
              </Button>
            ))}
          </Box>
          {decide.error && (
            <Text role="alert" tone="spent">
              {decide.error.message}
            </Text>
          )}
        </Box>
      ) : (
        <TextButton small faded onClick={() => setOpen(true)}>
          decide again
        </TextButton>
      )}
    </section>
  );
}
