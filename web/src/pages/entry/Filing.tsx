import { useState } from "react";
import { Link } from "react-router";
import type { Entry, Schemas } from "../../api/client";
import { useFile, useLabels } from "../../api/queries";
import { useMay } from "../../app/role";
import { FormDialog, text, useSheet, Written } from "../../form";
import { Box, Text, TextButton } from "../../kit";

type Relation = Schemas["Reference"]["relation"];
const RELATIONS: [Relation, string][] = [
  ["supersedes", "Supersedes"],
  ["repeats", "Repeats"],
  ["depends on", "Depends on"],
];

/** What an entry is filed under: labels, how it stands to others, a note. */
export function Filing({ book, entry }: { book: string; entry: Entry }) {
  const [open, setOpen] = useState(false);
  const may = useMay();
  const filed = entry.labels.length > 0 || entry.references.length > 0 || entry.note !== "";
  if (!filed && !may.write) return null;
  return (
    <section aria-label="Filed">
      <Box component="h2" sx={{ marginBottom: 6 }}>
        Filed
      </Box>
      {entry.labels.length > 0 && (
        <div>
          under{" "}
          {entry.labels.map((label, i) => (
            <span key={label}>
              {i > 0 && ", "}
              <Link to={`/${book}?${new URLSearchParams({ label, line: "all" })}`}>{label}</Link>
            </span>
          ))}
        </div>
      )}
      {entry.references.map((r) => (
        <div key={`${r.said} ${r.number}`}>
          {r.said}{" "}
          <Link to={`/${book}/entries/${r.number}`}>
            no. {r.number}, {r.title}
          </Link>
        </div>
      ))}
      {entry.note && (
        <Text tone="faded" sx={{ whiteSpace: "pre-line" }}>
          {entry.note}
        </Text>
      )}
      {may.write && (
        <TextButton small faded onClick={() => setOpen(true)}>
          {filed ? "file otherwise" : "labels, references, a note"}
        </TextButton>
      )}
      {open && <Sorting book={book} entry={entry} close={() => setOpen(false)} />}
    </section>
  );
}

/** Texts with commas between. */
const listed = (written: string) =>
  [...new Set(written.split(",").map((part) => part.trim()))].filter(Boolean);

const numbers = {
  validate: (written: unknown) =>
    listed(String(written ?? "")).every((part) => /^[1-9]\d{0,8}$/.test(part)) ||
    "Numbers of entries, with commas between.",
};

function Sorting({ book, entry, close }: { book: string; entry: Entry; close: () => void }) {
  const file = useFile(book, entry.number);
  const known = useLabels(book).data ?? [];
  const of = (relation: Relation) =>
    entry.references
      .filter((r) => !r.back && r.relation === relation)
      .map((r) => r.number)
      .join(", ");
  const sheet = useSheet({
    values: {
      labels: entry.labels.join(", "),
      supersedes: of("supersedes"),
      repeats: of("repeats"),
      "depends on": of("depends on"),
      note: entry.note,
    },
    send: (values) =>
      file.mutateAsync({
        labels: listed(values.labels),
        note: values.note,
        references: RELATIONS.flatMap(([relation]) =>
          listed(values[relation]).map((number) => ({ relation, number: Number(number) })),
        ),
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title={`File entry ${entry.number}`} verb="File it" close={close}>
      <Written
        autoFocus
        of={sheet}
        name="labels"
        label="Labels"
        hint={known.length ? `In use: ${known.slice(0, 12).join(", ")}` : "Words, with commas between"}
        rules={text(400)}
      />
      {RELATIONS.map(([relation, label]) => (
        <Written
          key={relation}
          of={sheet}
          name={relation}
          label={`${label} entry`}
          inputMode="numeric"
          rules={numbers}
        />
      ))}
      <Written of={sheet} name="note" label="Note" lines={3} rules={text(4000)} />
    </FormDialog>
  );
}
