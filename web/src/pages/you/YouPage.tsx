import { useState } from "react";
import { useSessions, useSetPassword, useSignOutThere } from "../../api/people";
import { useSession } from "../../api/queries";
import { moment } from "../../app/days";
import { useTitle } from "../../app/head";
import { Failure, Loading, Refused } from "../../app/states";
import { required, Sending, useSheet, Written } from "../../form";
import {
  Cell,
  PageTitle,
  Pile,
  SheetForm,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Unseen,
} from "../../kit";

/** What is one's own: a password, and where one is signed in. */
export default function YouPage() {
  const session = useSession();
  useTitle("You");
  if (!session.data) return null;
  return (
    <Pile sx={{ gap: 26 }}>
      <PageTitle>{session.data.user}</PageTitle>
      <Sessions />
      <Password has={session.data.has_password} />
    </Pile>
  );
}

function Sessions() {
  const sessions = useSessions();
  const leave = useSignOutThere();
  if (sessions.error && !sessions.data)
    return <Failure error={sessions.error} again={() => sessions.refetch()} />;
  if (sessions.isPending) return <Loading what="your sessions" />;
  return (
    <section>
      <h2>Where you are signed in</h2>
      <Table aria-label="Sessions" sx={{ marginTop: 6 }}>
        <TableHead>
          <TableRow>
            <Cell>Since</Cell>
            <Cell wide>Last used, about</Cell>
            <Cell>From</Cell>
            <Cell wide>By</Cell>
            <Cell>
              <Unseen>what can be done</Unseen>
            </Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {sessions.data.map((s) => (
            <TableRow key={s.handle}>
              <Cell nowrap>{s.since ? moment(s.since) : "not known"}</Cell>
              <Cell wide nowrap>
                {moment(s.seen)}
              </Cell>
              <Cell>{s.address || "not known"}</Cell>
              <Cell wide small tone="faded">
                {s.browser}
              </Cell>
              <Cell nowrap>
                {s.here ? (
                  "this one"
                ) : (
                  <TextButton small onClick={() => leave.mutate(s.handle)}>
                    sign out there
                  </TextButton>
                )}
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Refused error={leave.error} />
    </section>
  );
}

const EMPTY = { old: "", new: "", again: "" };

function Password({ has }: { has: boolean }) {
  const set = useSetPassword();
  const [done, setDone] = useState(false);
  const sheet = useSheet({
    values: EMPTY,
    send: ({ old, new: chosen }) => set.mutateAsync({ old, new: chosen }),
    sent: () => {
      sheet.anew();
      setDone(true);
    },
  });
  return (
    <section>
      <h2>{has ? "Another password" : "A password"}</h2>
      <Text tone="faded" size={13} sx={{ margin: "4px 0 10px" }}>
        {has
          ? "Every other session of yours ends with the old one."
          : "You came by a link. With a password you can sign in by your name when the session has ended."}
      </Text>
      <SheetForm noValidate onSubmit={sheet.submit} sx={{ maxWidth: 320, gap: 12 }}>
        {has && (
          <Written
            of={sheet}
            name="old"
            label="The present one"
            type="password"
            autoComplete="current-password"
            rules={required}
          />
        )}
        <Written
          of={sheet}
          name="new"
          label="The new one"
          type="password"
          autoComplete="new-password"
          hint="12 characters at least, and nothing everybody thinks of"
          rules={{ ...required, minLength: { value: 12, message: "12 characters at least." } }}
        />
        <Written
          of={sheet}
          name="again"
          label="The new one again"
          type="password"
          autoComplete="new-password"
          rules={{ validate: (again, all) => again === all.new || "These two differ." }}
        />
        {done && !sheet.unsent && <Text role="status">Your password is set.</Text>}
        <Sending of={sheet} verb="Set it" />
      </SheetForm>
    </section>
  );
}
