import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Entry } from "../../api/client";
import { usePurgeOfEntry, useWithdraw } from "../../api/queries";
import { useMay } from "../../app/role";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Line, Text, TextButton, Tick } from "../../kit";
import { PurgeDialog } from "../purge/PurgeDialog";
import { Correcting } from "./Corrections";

type Open = "" | "words" | "withdraw" | "purge";

/** What can be done with an entry beside deciding it. */
export function Verbs({ book, entry }: { book: string; entry: Entry }) {
  const [open, setOpen] = useState<Open>("");
  const may = useMay();
  const close = () => setOpen("");
  const count = entry.corrections.length;
  const verb = (what: Open, label: string) => (
    <TextButton small faded onClick={() => setOpen(what)}>
      {label}
    </TextButton>
  );
  if (!may.write && !count) return null;
  return (
    <>
      <Line sx={{ justifyContent: "flex-end" }}>
        {verb("words", count ? `corrected ${count === 1 ? "once" : `${count} times`}` : "correct the words")}
        {may.write && entry.result && (
          <Link
            to={`/${book}/bench/plan?what=combined&title=${encodeURIComponent(`What of no. ${entry.number} helped?`)}`}
          >
            <Text as="span" small tone="faded">
              untangle this
            </Text>
          </Link>
        )}
        {may.write && verb("withdraw", entry.withdrawal ? "put it back" : "withdraw")}
        {may.own && entry.withdrawal && verb("purge", "purge")}
      </Line>
      {open === "words" && <Correcting book={book} entry={entry} close={close} />}
      {open === "withdraw" && <Withdrawing book={book} entry={entry} close={close} />}
      {open === "purge" && <Purging book={book} entry={entry} close={close} />}
    </>
  );
}

interface Props {
  book: string;
  entry: Entry;
  close: () => void;
}

function Withdrawing({ book, entry, close }: Props) {
  const withdraw = useWithdraw(book, entry.number);
  const withdrawn = entry.withdrawal === null;
  const sheet = useSheet({
    values: { why: "" },
    send: ({ why }) => withdraw.mutateAsync({ withdrawn, why }),
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={withdrawn ? `Withdraw entry ${entry.number}` : `Put entry ${entry.number} back`}
      verb={withdrawn ? "Withdraw it" : "Put it back"}
      close={close}
    >
      <Text tone="faded" size={13}>
        {withdrawn
          ? "It stays to be read, credits nothing and moves no standing. It can be put back."
          : "It counts again as it did, and the standing is reckoned anew."}
      </Text>
      <Written autoFocus of={sheet} name="why" label="Why" lines={2} rules={{ ...required, ...text(4000) }} />
    </FormDialog>
  );
}

function Purging({ book, entry, close }: Props) {
  const purge = usePurgeOfEntry(book, entry.number);
  const navigate = useNavigate();
  const [runs, setRuns] = useState(false);
  return (
    <PurgeDialog
      key={String(runs)}
      title={`Purge entry ${entry.number}`}
      ask={(confirmed) => purge.mutateAsync({ confirmed, with_runs: runs })}
      close={close}
      done={() => navigate(`/${book}`)}
    >
      {entry.result && (
        <Tick
          label="with the runs that no other entry rests on"
          checked={runs}
          onChange={(e) => setRuns(e.target.checked)}
        />
      )}
    </PurgeDialog>
  );
}
