import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import TextField from "@mui/material/TextField";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { useOpenEntry } from "../../api/queries";
import { Box, PartTitle, Text } from "../../kit";

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
      <Box component="form" onSubmit={submit} sx={{ padding: 20, display: "grid", gap: 14 }}>
        <PartTitle id="new-entry-title">New entry</PartTitle>
        <TextField
          autoFocus
          label="What changes"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
          slotProps={{ htmlInput: { maxLength: 200 } }}
        />
        <TextField
          label="Why it should help"
          value={why}
          onChange={(e) => setWhy(e.target.value)}
          multiline
        />
        <TextField
          label="What is expected"
          value={expected}
          onChange={(e) => setExpected(e.target.value)}
          multiline
          helperText="Locked when the first run arrives."
        />
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
