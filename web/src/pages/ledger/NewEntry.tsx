import { useNavigate } from "react-router";
import { useOpenEntry } from "../../api/queries";
import { FormDialog, required, text, useSheet, Written } from "../../form";

/** What will change, why it should help, what is expected: written before anything is recorded. */
export function NewEntry({ book, close }: { book: string; close: () => void }) {
  const make = useOpenEntry(book);
  const navigate = useNavigate();
  const sheet = useSheet({
    values: { title: "", why: "", expected: "" },
    send: make.mutateAsync,
    sent: (entry) => navigate(`/${book}/entries/${entry.number}`),
    draft: `${book} new entry`,
  });
  return (
    <FormDialog wide kept of={sheet} title="New entry" verb="Open the entry" close={close}>
      <Written autoFocus of={sheet} name="title" label="What changes" rules={{ ...required, ...text(200) }} />
      <Written of={sheet} name="why" label="Why it should help" lines={2} rules={text(4000)} />
      <Written
        of={sheet}
        name="expected"
        label="What is expected"
        hint="Locked when the first run arrives."
        lines={2}
        rules={text(500)}
      />
    </FormDialog>
  );
}
