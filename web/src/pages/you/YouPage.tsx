import { useState } from "react";
import { useWatch } from "react-hook-form";
import { useHappened, useSessions, useSetPassword, useSignOutThere } from "../../api/people";
import { useSession, useWays } from "../../api/queries";
import { moment } from "../../app/days";
import { useTitle } from "../../app/head";
import { Failure, Loading, Refused } from "../../app/states";
import { required, Secret, Sending, useSheet } from "../../form";
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
import { SignOn, SignOnSaid } from "../SignOn";
import { SecondFactor } from "./SecondFactor";
import { Strength } from "./Strength";

/** What is one's own: a password, and where one is signed in. */
export default function YouPage() {
  const session = useSession();
  useTitle("You");
  if (!session.data) return null;
  return (
    <Pile sx={{ gap: 26 }}>
      <PageTitle>{session.data.user}</PageTitle>
      <SignOnSaid />
      <Joined joined={session.data.joined} />
      <Sessions />
      <Happened />
      <Password has={session.data.has_password} name={session.data.user} />
      <SecondFactor on={session.data.second_factor} password={session.data.has_password} />
      <section>
        <h2>What is kept of you</h2>
        <Text tone="faded" size={13} sx={{ margin: "4px 0 8px", maxWidth: 720 }}>
          Your account, sessions and roles, what you decided, wrote and changed, and the lines of the log that
          name you. Whoever runs the server can take your account away, and your name off what stays.
        </Text>
        <a href="/api/session/kept/" download>
          take it out as JSON
        </a>
      </section>
    </Pile>
  );
}

/** The account that the team has elsewhere, joined with this one. */
function Joined({ joined }: { joined: boolean }) {
  const name = useWays().data?.sign_on;
  if (!name) return null;
  return (
    <section>
      <h2>Signing in with {name}</h2>
      <Text tone="faded" size={13} sx={{ margin: "4px 0 10px" }}>
        {joined
          ? `You can sign in with ${name}.`
          : `Join ${name} with this account, to sign in here with it from then on.`}
      </Text>
      {!joined && <SignOn verb="Join" />}
    </section>
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

/** What was done with one's account, by oneself and by others: whoever took it over would be seen here. */
function Happened() {
  const happened = useHappened();
  if (!happened.data?.length) return null;
  return (
    <section>
      <h2>What happened to your account</h2>
      <Text tone="faded" size={13} sx={{ margin: "4px 0 8px" }}>
        Something you did not do? Set another password, end the other sessions, and tell whoever runs the
        server.
      </Text>
      <Table aria-label="What happened to your account">
        <TableHead>
          <TableRow>
            <Cell>When</Cell>
            <Cell>What</Cell>
            <Cell wide>As the log has it</Cell>
            <Cell>From</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {happened.data.map((line) => (
            <TableRow key={line.id}>
              <Cell nowrap>{moment(line.at)}</Cell>
              <Cell nowrap>{line.what}</Cell>
              <Cell wide small tone="faded">
                {line.text}
              </Cell>
              <Cell>{line.address}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </section>
  );
}

const EMPTY = { old: "", new: "", again: "" };

export function Password({ has, name }: { has: boolean; name: string }) {
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
          <Secret
            of={sheet}
            name="old"
            label="The present one"
            autoComplete="current-password"
            rules={required}
          />
        )}
        <Secret
          of={sheet}
          name="new"
          label="The new one"
          autoComplete="new-password"
          hint="12 characters at least, and nothing everybody thinks of"
          rules={{
            ...required,
            minLength: { value: 12, message: "12 characters at least." },
            maxLength: { value: 128, message: "128 characters at most." },
          }}
        />
        <Strength
          of={useWatch({ control: sheet.control, name: "new" })}
          known={[name, "vigilant", "ledger"]}
        />
        <Secret
          of={sheet}
          name="again"
          label="The new one again"
          autoComplete="new-password"
          rules={{ validate: (again, all) => again === all.new || "These two differ." }}
        />
        {done && !sheet.unsent && <Text role="status">Your password is set.</Text>}
        <Sending of={sheet} verb="Set it" />
      </SheetForm>
    </section>
  );
}
