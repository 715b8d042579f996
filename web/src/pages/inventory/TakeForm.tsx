import { useState } from "react";
import { useTakeInventory } from "../../api/inventory";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Field, Text } from "../../kit";

/** An inventory from a file, of a build. */
export function TakeForm({ book, close }: { book: string; close: (key?: number) => void }) {
  const take = useTakeInventory(book);
  const [file, setFile] = useState<File | null>(null);
  const [missing, setMissing] = useState(false);
  const sheet = useSheet({
    values: { build: "" },
    send: async ({ build }) => {
      setMissing(!file);
      if (!file) throw new Error("Choose a file.");
      return take.mutateAsync({ build, name: file.name, text: await file.text() });
    },
    sent: (made) => close(made.id),
  });
  return (
    <FormDialog of={sheet} title="An inventory from a file" verb="Bring it in" close={() => close()}>
      <Written of={sheet} name="build" label="Build" rules={{ ...required, ...text(160) }} />
      <Field
        label="File"
        hint="a table: a column kind, a column count, and what a piece weighs in further ones"
      >
        <input
          type="file"
          aria-label="File"
          accept=".csv,.tsv,.txt,.json,.jsonl"
          onChange={(e) => setFile(e.target.files?.[0] ?? null)}
        />
      </Field>
      {missing && !file && (
        <Text tone="spent" role="alert">
          Choose a file.
        </Text>
      )}
    </FormDialog>
  );
}
