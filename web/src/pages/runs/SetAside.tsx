import { useAside } from "../../api/queries";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Text } from "../../kit";

interface Props {
  book: string;
  runs: readonly string[];
  /** Set aside, or taken back? */
  aside: boolean;
  close: () => void;
  done?: () => void;
}

/** Runs are set aside with the reason, or taken back. */
export function SetAside({ book, runs, aside, close, done }: Props) {
  const change = useAside(book);
  const what = runs.length === 1 ? "the run" : `${runs.length} runs`;
  const sheet = useSheet({
    values: { why: "" },
    send: ({ why }) => change.mutateAsync({ runs: [...runs], aside, why }),
    sent: () => {
      done?.();
      close();
    },
  });
  return (
    <FormDialog
      of={sheet}
      title={aside ? `Set ${what} aside` : `Take ${what} back`}
      verb={aside ? "Set aside" : "Take back"}
      close={close}
    >
      <Text tone="faded" size={13}>
        {aside
          ? "What is set aside stays to be looked at and enters no arm from now on. Entries that rest on it keep their verdict and say so."
          : "It may enter arms again."}
      </Text>
      <Written autoFocus of={sheet} name="why" label="Why" lines={2} rules={{ ...required, ...text(4000) }} />
    </FormDialog>
  );
}
