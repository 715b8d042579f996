import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { type FormEvent, useState } from "react";
import type { Entry } from "../../api/client";
import { useCorrect } from "../../api/queries";
import { moment } from "../../app/days";
import { Box, Field, Line, PartTitle, Text, TextButton, TextInput } from "../../kit";

/** The words of an entry can be corrected; what stood before stays to be read. */
export function Corrections({ book, entry }: { book: string; entry: Entry }) {
  const [open, setOpen] = useState(false);
  const count = entry.corrections.length;
  return (
    <>
      <Line>
        <TextButton small faded onClick={() => setOpen(true)}>
          {count ? `corrected ${count === 1 ? "once" : `${count} times`}` : "correct the words"}
        </TextButton>
      </Line>
      {open && <Correcting book={book} entry={entry} close={() => setOpen(false)} />}
    </>
  );
}

function Correcting({ book, entry, close }: { book: string; entry: Entry; close: () => void }) {
  const correct = useCorrect(book, entry.number);
  const [title, setTitle] = useState(entry.title);
  const [why, setWhy] = useState(entry.why);
  const [expected, setExpected] = useState(entry.expected);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    correct.mutate({ title, why, ...(entry.locked ? {} : { expected }) }, { onSuccess: close });
  };
  return (
    <Dialog open onClose={close} aria-labelledby="correct-title" fullWidth maxWidth="sm">
      <Box component="form" onSubmit={submit} sx={{ display: "grid", gap: 14 }}>
        <PartTitle id="correct-title">The words of entry {entry.number}</PartTitle>
        <Field label="What changes">
          <TextInput required maxLength={200} value={title} onChange={(e) => setTitle(e.target.value)} />
        </Field>
        <Field label="Why it should help">
          <TextInput lines={2} value={why} onChange={(e) => setWhy(e.target.value)} />
        </Field>
        {entry.locked ? (
          <Text tone="faded" size={13}>
            What was expected is locked since the first run arrived.
          </Text>
        ) : (
          <Field label="What is expected" hint="Locked when the first run arrives.">
            <TextInput lines={2} value={expected} onChange={(e) => setExpected(e.target.value)} />
          </Field>
        )}
        {entry.corrections.map((before) => (
          <Text key={before.corrected_at} tone="faded" size={13}>
            Until {moment(before.corrected_at)}, {before.by}: <b>{before.title}</b>. {before.why}
          </Text>
        ))}
        {correct.error && (
          <Text role="alert" tone="spent">
            {correct.error.message}
          </Text>
        )}
        <Box sx={{ display: "flex", gap: 10, justifyContent: "flex-end" }}>
          <Button onClick={close}>Leave</Button>
          <Button type="submit" variant="contained" disabled={!title.trim() || correct.isPending}>
            Correct it
          </Button>
        </Box>
      </Box>
    </Dialog>
  );
}
