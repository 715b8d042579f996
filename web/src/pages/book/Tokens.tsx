import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useDiscardSessions, useIssueToken, useRevokeToken, useTokens } from "../../api/people";
import { day, moment } from "../../app/days";
import { Failure, Loading, Refused } from "../../app/states";
import { amount, Chosen, InPlace, required, Sending, text, useSheet, Written } from "../../form";
import {
  Asks,
  Cell,
  Fields,
  SheetForm,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Unseen,
} from "../../kit";
import { ShownOnce } from "./ShownOnce";

type Token = Schemas["Token"];
const SCOPES: Record<Token["scope"] & string, string> = {
  deliver: "delivers and reads",
  read: "reads",
  field: "lets in players' sessions, and nothing else",
  "own-field": "lets in the team's own sessions, and nothing else",
};

function stateOf(token: Token): string {
  if (token.revoked_at) return `revoked ${day(token.revoked_at)}`;
  if (!token.expires_at) return "until it is revoked";
  const over = new Date(token.expires_at) <= new Date();
  return `${over ? "ended" : "until"} ${day(token.expires_at)}`;
}

/** The keys of recorders to this book. */
export function Tokens({ book }: { book: string }) {
  const tokens = useTokens(book);
  const revoke = useRevokeToken(book);
  const discard = useDiscardSessions(book);
  const [made, setMade] = useState("");
  if (tokens.error && !tokens.data) return <Failure error={tokens.error} again={() => tokens.refetch()} />;
  if (tokens.isPending) return <Loading what="the tokens" />;
  return (
    <section>
      <h2>Recorders’ tokens</h2>
      <Text tone="faded" size={13} sx={{ marginTop: 4 }}>
        A recorder delivers with a token. It is shown once and can be revoked; no token decides or corrects.
      </Text>
      {tokens.data.length > 0 && (
        <Table aria-label="Tokens" sx={{ marginTop: 6, maxWidth: 980 }}>
          <TableHead>
            <TableRow>
              <Cell>Recorder</Cell>
              <Cell>What it may</Cell>
              <Cell wide>Issued</Cell>
              <Cell>Good</Cell>
              <Cell wide>Last used</Cell>
              <Cell>
                <Unseen>what can be done</Unseen>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {tokens.data.map((token) => (
              <TableRow key={token.id}>
                <Cell strong>{token.label}</Cell>
                <Cell>{SCOPES[token.scope ?? "deliver"]}</Cell>
                <Cell wide nowrap>
                  {day(token.created_at)}
                </Cell>
                <Cell tone={token.revoked_at ? "faded" : undefined}>{stateOf(token)}</Cell>
                <Cell wide nowrap>
                  {token.last_used ? moment(token.last_used) : "never"}
                </Cell>
                <Cell nowrap>
                  {!token.revoked_at && (
                    <Asks
                      text
                      label="revoke"
                      aria-label={`revoke ${token.label}`}
                      question={`Revoke the token of ${token.label}?`}
                      said="From then on it is refused, and cannot be made good again."
                      yes="Revoke it"
                      onYes={() => revoke.mutate(token.id)}
                    />
                  )}
                  {token.revoked_at && token.scope?.endsWith("field") && (
                    <Asks
                      text
                      label="discard its sessions"
                      aria-label={`discard the sessions of ${token.label}`}
                      question={`Discard all sessions that came by ${token.label}?`}
                      said="They are taken out of every sum of the field and cannot be had back. Sessions that are past their days stay counted."
                      yes="Discard them"
                      onYes={() => discard.mutate(token.id)}
                    />
                  )}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      <Refused error={revoke.error ?? discard.error} />
      {discard.data && (
        <Text role="status" tone="faded" size={13} sx={{ marginTop: 6 }}>
          {discard.data.sessions
            ? `${discard.data.sessions} sessions are being discarded.`
            : "No session of it is left."}
        </Text>
      )}
      <ShownOnce
        what={made}
        said="Keep this token where the recorder finds it: VIGILANT_TOKEN names it; it is shown this once."
      />
      <InPlace verb="Issue a token">
        {(close) => <Issuing book={book} made={setMade} close={close} />}
      </InPlace>
    </section>
  );
}

interface IssuingProps {
  book: string;
  made: (text: string) => void;
  close: () => void;
}

function Issuing({ book, made, close }: IssuingProps) {
  const issue = useIssueToken(book);
  const sheet = useSheet({
    values: { label: "", scope: "deliver" as const, days: "365" },
    send: ({ days, ...rest }) => issue.mutateAsync({ ...rest, days: Number(days) }),
    sent: (answer) => {
      made(answer.text);
      close();
    },
  });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ marginTop: 12, gap: 12 }}>
      <Fields>
        <Written
          autoFocus
          of={sheet}
          name="label"
          label="Recorder"
          hint="a name by which you know it"
          rules={{ ...required, ...text(80) }}
        />
        <Chosen of={sheet} name="scope" label="What it may">
          {Object.entries(SCOPES).map(([scope, what]) => (
            <option key={scope} value={scope}>
              {what}
            </option>
          ))}
        </Chosen>
        <Written
          of={sheet}
          name="days"
          label="Good for days"
          inputMode="numeric"
          rules={{ ...required, ...amount({ least: 1, most: 3650, whole: true }) }}
        />
      </Fields>
      <Sending of={sheet} verb="Issue it" leave={close} />
    </SheetForm>
  );
}
