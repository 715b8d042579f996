import { useReserve } from "../../api/bench";
import { dayAndTime } from "../../app/days";
import { Chosen, FormDialog, required, text, useSheet, Written } from "../../form";

const HOUR_MS = 3_600_000;

/** A rig for oneself for a while. */
export function ReserveForm({ book, rigs, close }: { book: string; rigs: string[]; close: () => void }) {
  const reserve = useReserve(book);
  const next = Math.ceil(Date.now() / HOUR_MS) * HOUR_MS;
  const sheet = useSheet({
    values: {
      rig: rigs[0] ?? "",
      begins_at: dayAndTime(new Date(next)),
      ends_at: dayAndTime(new Date(next + 2 * HOUR_MS)),
      why: "",
    },
    send: ({ begins_at, ends_at, ...rest }) =>
      reserve.mutateAsync({
        ...rest,
        begins_at: new Date(begins_at).toISOString(),
        ends_at: new Date(ends_at).toISOString(),
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title="Reserve a rig" verb="Reserve it" close={close}>
      <Chosen of={sheet} name="rig" label="Rig">
        {rigs.map((rig) => (
          <option key={rig} value={rig}>
            {rig}
          </option>
        ))}
      </Chosen>
      <Written of={sheet} name="begins_at" label="From" type="datetime-local" rules={required} />
      <Written
        of={sheet}
        name="ends_at"
        label="Until"
        type="datetime-local"
        rules={{
          ...required,
          validate: (until, { begins_at }) => until > begins_at || "It ends after it begins.",
        }}
        hint="What others asked of its recorder waits, also what would not be through before."
      />
      <Written of={sheet} name="why" label="What for" rules={text(160)} />
    </FormDialog>
  );
}
