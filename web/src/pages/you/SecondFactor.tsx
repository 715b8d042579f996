import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useBeginSecondFactor, useConfirmSecondFactor, useTakeOffSecondFactor } from "../../api/people";
import { Refused } from "../../app/states";
import { required, Sending, text, useSheet, Written } from "../../form";
import { Box, Copyable, Note, SheetForm, Text } from "../../kit";

const CODE = { ...required, ...text(40) };

/** Codes of an app beside the password: set, confirmed by one, taken off by one. */
export function SecondFactor({ on, password }: { on: boolean; password: boolean }) {
  const begin = useBeginSecondFactor();
  const [codes, setCodes] = useState<readonly string[]>([]);
  const [leaving, setLeaving] = useState(false);
  return (
    <section>
      <h2>A second factor</h2>
      <Text tone="faded" size={13} sx={{ margin: "4px 0 10px", maxWidth: 720 }}>
        {on
          ? "Whoever signs in as you with your password, or by a link, is asked for a code of your app too."
          : "With one, a code that an app on your phone shows is asked for beside the password, and beside a link."}
        {!on && !password && " It goes with a password: set one first."}
      </Text>
      {codes.length > 0 && (
        <Note role="status">
          <Text>
            It is set. Write these down, each is good once when the app is lost; they are shown this once.
          </Text>
          <Copyable what={codes.join(" ")} />
        </Note>
      )}
      {!on && password && !begin.data && (
        <Button disabled={begin.isPending} onClick={() => begin.mutate()}>
          Set one
        </Button>
      )}
      <Refused error={begin.error} />
      {!on && begin.data && <Confirming begun={begin.data} done={setCodes} leave={begin.reset} />}
      {on && !leaving && <Button onClick={() => setLeaving(true)}>Take it off</Button>}
      {on && leaving && <TakingOff close={() => setLeaving(false)} />}
    </section>
  );
}

interface ConfirmingProps {
  begun: { picture: string; secret: string };
  done: (codes: readonly string[]) => void;
  leave: () => void;
}

function Confirming({ begun, done, leave }: ConfirmingProps) {
  const queries = useQueryClient();
  const confirm = useConfirmSecondFactor();
  const sheet = useSheet({
    values: { code: "" },
    send: confirm.mutateAsync,
    sent: (answer) => {
      done(answer.codes);
      leave();
      queries.invalidateQueries({ queryKey: ["session"] });
    },
  });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ maxWidth: 420, gap: 12 }}>
      <Text>
        Let an app that shows codes (TOTP) read this, or type the secret; then give the code that it shows.
      </Text>
      <Box
        component="img"
        src={begun.picture}
        alt="the secret, as a picture for an app"
        sx={{ width: 200, height: 200, background: "#fff" }}
      />
      <div>
        <Copyable what={begun.secret} />
      </div>
      <Written
        autoFocus
        of={sheet}
        name="code"
        label="The code it shows"
        autoComplete="one-time-code"
        rules={CODE}
      />
      <Sending of={sheet} verb="Confirm it" leave={leave} />
    </SheetForm>
  );
}

function TakingOff({ close }: { close: () => void }) {
  const off = useTakeOffSecondFactor();
  const sheet = useSheet({ values: { code: "" }, send: off.mutateAsync, sent: close });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ maxWidth: 320, gap: 12 }}>
      <Written
        autoFocus
        of={sheet}
        name="code"
        label="A code of it"
        hint="of the app, or one that was written down"
        autoComplete="one-time-code"
        rules={CODE}
      />
      <Sending of={sheet} verb="Take it off" leave={close} />
    </SheetForm>
  );
}
