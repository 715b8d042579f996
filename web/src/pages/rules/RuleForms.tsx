import { useRecordings } from "../../api/bench";
import { type Rule, useTestRule, useWriteRule } from "../../api/rules";
import { amount, Chosen, FormDialog, required, text, useSheet, Written } from "../../form";
import { Text } from "../../kit";

/** Something that is believed, with where it is from. */
export function RuleForm({ book, close }: { book: string; close: () => void }) {
  const write = useWriteRule(book);
  const sheet = useSheet({
    values: { text: "", reason: "", rig: "", said_on: "" },
    send: (values) => write.mutateAsync(values),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title="A rule of thumb" verb="Write it down" close={close}>
      <Written of={sheet} name="text" label="What is believed" rules={{ ...required, ...text(200) }} />
      <Written
        of={sheet}
        name="reason"
        label="Why, or who says so"
        lines={2}
        rules={{ ...required, ...text(4000) }}
      />
      <Written of={sheet} name="said_on" label="Found on" type="date" rules={required} />
      <Written
        of={sheet}
        name="rig"
        label="On what machine"
        rules={text(80)}
        hint="Left empty it is not known."
      />
    </FormDialog>
  );
}

/** What was recorded here says of a rule. */
export function TestForm({ book, rule, close }: { book: string; rule: Rule; close: () => void }) {
  const test = useTestRule(book);
  const recordings = useRecordings(book, ["account"]).data?.results ?? [];
  const accounts = recordings.filter((r) => r.state === "finished");
  const sheet = useSheet({
    values: { entry: "", recording: "", holds: "true", note: "" },
    send: ({ entry, recording, holds, note }) =>
      test.mutateAsync({
        rule: rule.id,
        entry: entry.trim() === "" ? null : Number(entry),
        recording: recording || null,
        holds: holds === "true",
        note,
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title="Does it hold here?" verb="Keep what was found" close={close}>
      <Text tone="faded">{rule.text}</Text>
      <Written
        of={sheet}
        name="entry"
        label="By the entry no."
        inputMode="numeric"
        rules={amount({ least: 1, whole: true })}
      />
      <Chosen of={sheet} name="recording" label="Or by a recording's account">
        <option value="">none</option>
        {accounts.map((r) => (
          <option key={r.id} value={r.id}>
            {r.title} ({r.rig})
          </option>
        ))}
      </Chosen>
      <Chosen of={sheet} name="holds" label="What it says">
        <option value="true">true here</option>
        <option value="false">not here</option>
      </Chosen>
      <Written of={sheet} name="note" label="In a sentence" lines={2} rules={text(4000)} />
    </FormDialog>
  );
}
