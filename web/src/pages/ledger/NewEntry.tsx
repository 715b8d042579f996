import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { useOpenEntry } from "../../api/queries";
import { Box, Field, PartTitle, Text, TextInput } from "../../kit";

/** What will change, why it should help, what is expected: written before anything is recorded. */
export function NewEntry({ book, open, onClose }: { book: string; open: boolean; onClose: () => void }) {
  const make = useOpenEntry(book);
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const [why, setWhy] = useState("");
  const [expected, setExpected] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    make.mutate(
      { title, why, expected },
      { onSuccess: (entry) => navigate(`/${book}/entries/${entry.number}`) },
    );
  };
  return (
    <Dialog open={open} onClose={onClose} aria-labelledby="new-entry-title" fullWidth maxWidth="sm">
      <Box component="form" onSubmit={submit} sx={{ display: "grid", gap: 14 }}>
        <PartTitle id="new-entry-title">New entry</PartTitle>
        <Field label="What changes">
          <TextInput autoFocus value={title} onChange={(e) => setTitle(e.target.value)} maxLength={200} />
        </Field>
        <Field label="Why it should help">
          <TextInput value={why} onChange={(e) => setWhy(e.target.value)} lines={2} />
        </Field>
        <Field label="What is expected" hint="Locked when the first run arrives.">
          <TextInput value={expected} onChange={(e) => setExpected(e.target.value)} lines={2} />
        </Field>
        {make.error && (
          <Text role="alert" tone="spent">
            {make.error.message}
          </Text>
        )}
        <Box sx={{ display: "flex", gap: 10, justifyContent: "flex-end" }}>
          <Button onClick={onClose}>Leave</Button>
          <Button type="submit" variant="contained" disabled={!title.trim() || make.isPending}>
            Open the entry
          </Button>
        </Box>
      </Box>
    </Dialog>
  );
}
