import { useSetTotal, useTotals } from "../../api/inventory";
import { amount, FormDialog, required, text, useSheet, Written } from "../../form";
import { Text } from "../../kit";

interface Props {
  book: string;
  /** The total that is changed; "" for a new one. */
  name: string;
  units: readonly string[];
  close: () => void;
}

/** A total of the book's own: what a piece weighs, how much there may be, and which counter says the same. */
export function TotalForm({ book, name, units, close }: Props) {
  const set = useSetTotal(book);
  const old = useTotals(book).data?.find((t) => t.name === name);
  const sheet = useSheet({
    values: {
      name,
      formula: old?.formula ?? "",
      most: old?.most == null ? "" : String(old.most),
      counter: old?.counter ?? "",
      reason: "",
    },
    send: ({ most, ...rest }) => set.mutateAsync({ ...rest, most: most.trim() ? Number(most) : null }),
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={name ? `Change ${name}` : "A total of the book's own"}
      verb="Set it"
      close={close}
    >
      {!name && <Written of={sheet} name="name" label="Total" rules={{ ...required, ...text(100) }} />}
      <Written
        of={sheet}
        name="formula"
        label="What a piece weighs"
        hint={`plain arithmetic over ${units.join(", ")}${name ? "; left empty it ends the total" : ""}`}
        placeholder="width * height * 4 / 1048576"
        rules={name ? text(1000) : { ...required, ...text(1000) }}
      />
      <Written
        of={sheet}
        name="most"
        label="At most"
        hint="in all; empty for no limit"
        inputMode="decimal"
        rules={amount({ least: 0 })}
      />
      <Written
        of={sheet}
        name="counter"
        label="Counter"
        hint="of the runs, that should say the same"
        rules={text(100)}
      />
      <Written of={sheet} name="reason" label="Why" lines={2} rules={{ ...required, ...text(4000) }} />
      {old && (
        <Text small tone="faded">
          Now: {old.by}, {old.reason}
        </Text>
      )}
    </FormDialog>
  );
}
