import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import type { Entry, Schemas } from "../../api/client";
import { useDecide } from "../../api/queries";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { Chosen, Said, text, useSheet, Written } from "../../form";
import { Box, Framed, Text, TextButton } from "../../kit";

type Asked = Required<Schemas["DecisionInRequest"]>;
type Verb = Asked["choice"];
const CHOICES: [Verb, string][] = [
  ["kept", "Keep"],
  ["dropped", "Drop"],
  ["more runs", "More runs"],
  ["record again", "Record again"],
];
const MARKS = ["supported", "exceeded", "not supported", "undecided"] as const;

/** What was decided, by whom and why; a new decision is added, none is lost. */
export function DecisionBox({ book, entry }: { book: string; entry: Entry }) {
  const [open, setOpen] = useState(entry.decisions.length === 0);
  const may = useMay();
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
          {d.only_if && (
            <div>
              <b>Only if</b> {d.only_if}
            </div>
          )}
        </Framed>
      ))}
      {!may.write ? (
        entry.decisions.length === 0 && <Text tone="faded">Nothing is decided yet.</Text>
      ) : open ? (
        <Deciding book={book} entry={entry} done={() => setOpen(false)} />
      ) : (
        <TextButton small faded onClick={() => setOpen(true)}>
          decide again
        </TextButton>
      )}
    </section>
  );
}

function Deciding({ book, entry, done }: { book: string; entry: Entry; done: () => void }) {
  const decide = useDecide(book, entry.number);
  const choice = useRef<Verb>("kept");
  const sheet = useSheet({
    values: { why: "", only_if: "", expectation: entry.held.expectation as Asked["expectation"] },
    send: ({ why, only_if, expectation }) =>
      decide.mutateAsync({
        choice: choice.current,
        why,
        only_if,
        expectation: entry.expected ? expectation : "",
      }),
    sent: done,
    draft: `${book} decision on ${entry.number}`,
  });
  return (
    <Box component="form" noValidate onSubmit={(e) => e.preventDefault()} sx={{ display: "grid", gap: 8 }}>
      <Written of={sheet} name="why" label="Why, and what it costs elsewhere" lines={2} rules={text(4000)} />
      <Written
        of={sheet}
        name="only_if"
        label="Only if"
        hint="what it presupposes: the decision holds only then"
        rules={text(4000)}
      />
      {entry.expected && (
        <div>
          <Chosen of={sheet} name="expectation" label="The expectation was">
            <option value="">not marked</option>
            {MARKS.map((mark) => (
              <option key={mark}>{mark}</option>
            ))}
          </Chosen>
          {entry.held.sentence && (
            <Text small tone="faded" sx={{ marginTop: 4 }}>
              Over the whole course, the runs say {entry.held.expectation}. {entry.held.sentence}
            </Text>
          )}
        </div>
      )}
      <Box sx={{ display: "flex", gap: 6, flexWrap: "wrap" }}>
        {CHOICES.map(([verb, label]) => (
          <Button
            key={verb}
            disabled={sheet.sending}
            onClick={() => {
              choice.current = verb;
              void sheet.submit();
            }}
          >
            {label}
          </Button>
        ))}
      </Box>
      <Said of={sheet} />
    </Box>
  );
}
