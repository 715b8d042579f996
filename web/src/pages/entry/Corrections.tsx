import type { Entry } from "../../api/client";
import { useCorrect } from "../../api/queries";
import { moment } from "../../app/days";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Text } from "../../kit";

interface Props {
  book: string;
  entry: Entry;
  close: () => void;
}

/** The words of an entry are corrected; what stood before stays to be read. */
export function Correcting({ book, entry, close }: Props) {
  const correct = useCorrect(book, entry.number);
  const { title, why, expected } = entry;
  const sheet = useSheet({
    values: { title, why, expected },
    send: ({ expected: meant, ...words }) =>
      correct.mutateAsync({ ...words, ...(entry.locked ? {} : { expected: meant }) }),
    sent: close,
    draft: `${book} words of ${entry.number}`,
  });
  return (
    <FormDialog
      wide
      kept
      of={sheet}
      title={`The words of entry ${entry.number}`}
      verb="Correct it"
      close={close}
    >
      <Written of={sheet} name="title" label="What changes" rules={{ ...required, ...text(200) }} />
      <Written of={sheet} name="why" label="Why it should help" lines={2} rules={text(4000)} />
      {entry.locked ? (
        <Text tone="faded" size={13}>
          What was expected is locked since the first run arrived.
        </Text>
      ) : (
        <Written
          of={sheet}
          name="expected"
          label="What is expected"
          hint="Locked when the first run arrives."
          lines={2}
          rules={text(500)}
        />
      )}
      {entry.corrections.map((before) => (
        <Text key={before.corrected_at} tone="faded" size={13}>
          Until {moment(before.corrected_at)}, {before.by}: <b>{before.title}</b>. {before.why}
        </Text>
      ))}
    </FormDialog>
  );
}
