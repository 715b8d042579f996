import type { LapSheet } from "../../api/laps";
import { useJoinLaps } from "../../api/laps";
import { useEntries } from "../../api/queries";
import { amount, Chosen, FormDialog, required, text, useSheet, Written } from "../../form";

/** Of which entry's frames a routine is part: how often a frame calls it, and on how many items. */
export function JoinForm({ book, page, close }: { book: string; page: LapSheet; close: () => void }) {
  const join = useJoinLaps(book, page.sheet.id);
  const entries = useEntries(book, { recorded: true });
  const offered = entries.data?.pages.flatMap((p) => p.results).filter((e) => e.verdict) ?? [];
  const sheet = useSheet({
    values: {
      entry: String(page.frame?.entry ?? ""),
      counter: page.frame?.counter ?? "",
      calls: String(page.frame?.calls ?? ""),
      items: String(page.frame?.items ?? page.sizes_lapped.at(-1) ?? ""),
    },
    send: async ({ entry, counter, calls, items }) =>
      join.mutateAsync({
        entry: Number(entry),
        counter: counter.trim(),
        calls: calls.trim() ? Number(calls) : null,
        items: Number(items),
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title="Does it matter in the frame?" verb="Join it" close={close}>
      <Chosen of={sheet} name="entry" label="Entry" rules={required}>
        <option value="">choose an entry …</option>
        {offered.map((e) => (
          <option key={e.number} value={e.number}>
            {e.number}. {e.title}
          </option>
        ))}
      </Chosen>
      <Written
        of={sheet}
        name="counter"
        label="Counter of calls"
        hint="a counter of that entry's runs: calls a frame"
        rules={text(100)}
      />
      <Written
        of={sheet}
        name="calls"
        label="Or calls a frame"
        hint="where no counter says"
        inputMode="decimal"
        rules={amount({ least: 0 })}
      />
      <Written
        of={sheet}
        name="items"
        label="Items in the frame"
        hint={`from ${page.sizes_lapped[0]} to ${page.sizes_lapped.at(-1)} were lapped`}
        inputMode="decimal"
        rules={{ ...required, ...amount({ least: 0 }) }}
      />
    </FormDialog>
  );
}
