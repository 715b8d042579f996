import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { Failure, Loading } from "../../app/states";
import { FormDialog, useSheet, Written } from "../../form";
import { Text } from "../../kit";

type Purge = Schemas["Purge"];

interface Props {
  title: string;
  /** Without a name it says what would go; with the right one it goes. */
  ask: (confirmed: string) => Promise<Purge>;
  close: () => void;
  done: () => void;
  children?: ReactNode;
}

/** What is really deleted: it says first what goes with it and what hinders it, and is done by its name. */
export function PurgeDialog({ title, ask, close, done, children }: Props) {
  const [shown, setShown] = useState<Purge | Error>();
  const asked = useRef(false);
  useEffect(() => {
    if (asked.current) return;
    asked.current = true;
    ask("").then(setShown, setShown);
  });
  const sheet = useSheet({ values: { name: "" }, send: ({ name }) => ask(name.trim()), sent: done });
  const purge = shown instanceof Error ? undefined : shown;
  const hindered = purge !== undefined && purge.hinders.length > 0;
  return (
    <FormDialog of={sheet} title={title} verb="Delete for good" close={close} barred={!purge || hindered}>
      {shown === undefined && <Loading what="what would go" />}
      {shown instanceof Error && <Failure error={shown} />}
      {children}
      {purge?.hinders.map((why) => (
        <Text key={why} role="alert" tone="spent">
          {why}
        </Text>
      ))}
      {purge && !hindered && (
        <>
          <div>
            <Text>This deletes for good:</Text>
            <ul>
              {purge.goes.map((what) => (
                <li key={what}>{what}</li>
              ))}
            </ul>
            {purge.stays.map((what) => (
              <Text key={what} sx={{ marginBottom: 6 }}>
                What stays: {what}.
              </Text>
            ))}
            <Text tone="faded" size={13}>
              It is written into the log. It cannot be had again.
            </Text>
          </div>
          <Written
            of={sheet}
            name="name"
            label={`To do it, write \u201c${purge.name}\u201d`}
            autoComplete="off"
            rules={{
              validate: (written) => written.trim() === purge.name || `Write \u201c${purge.name}\u201d.`,
            }}
          />
        </>
      )}
    </FormDialog>
  );
}
