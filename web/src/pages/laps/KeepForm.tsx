import { useState } from "react";
import { useKeepLaps } from "../../api/laps";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Field, Text } from "../../kit";

type Side = "before" | "after";

const read = async (files: readonly File[]) =>
  Promise.all(files.map(async (file) => ({ name: file.name, text: await file.text() })));

/** Laps of two versions, from the files of their processes. */
export function KeepForm({ book, close }: { book: string; close: (key?: number) => void }) {
  const keep = useKeepLaps(book);
  const [files, setFiles] = useState<Record<Side, File[]>>({ before: [], after: [] });
  const [missing, setMissing] = useState(false);
  const sheet = useSheet({
    values: { name: "", before: "", after: "" },
    send: async ({ name, before, after }) => {
      const bare = files.before.length === 0 || files.after.length === 0;
      setMissing(bare);
      if (bare) throw new Error("Choose files of both versions.");
      return keep.mutateAsync({
        name,
        before: { name: before, files: await read(files.before) },
        after: { name: after, files: await read(files.after) },
      });
    },
    sent: (made) => close(made.id),
  });
  const choose = (side: Side) => (
    <Field
      label={side === "before" ? "Files before" : "Files after"}
      hint="one for each process that was started"
    >
      <input
        type="file"
        multiple
        aria-label={side === "before" ? "Files before" : "Files after"}
        accept=".csv,.tsv,.txt,.json,.jsonl"
        onChange={(e) => setFiles({ ...files, [side]: [...(e.target.files ?? [])] })}
      />
    </Field>
  );
  return (
    <FormDialog of={sheet} title="Laps from files" verb="Keep them" close={() => close()}>
      <Written of={sheet} name="name" label="Routine" rules={{ ...required, ...text(100) }} />
      <Written
        of={sheet}
        name="before"
        label="Version before"
        hint="as its files say, if left out"
        rules={text(100)}
      />
      {choose("before")}
      <Written of={sheet} name="after" label="Version after" rules={text(100)} />
      {choose("after")}
      {missing && (
        <Text tone="spent" role="alert">
          Choose files of both versions.
        </Text>
      )}
    </FormDialog>
  );
}
