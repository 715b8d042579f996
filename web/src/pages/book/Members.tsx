import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useAddMember, useGiveRole, useLinkAgain, useMembers, useTakeOut } from "../../api/people";
import { Failure, Loading, Refused } from "../../app/states";
import { Chosen, InPlace, required, Sending, Ticked, text, useSheet, Written } from "../../form";
import {
  Asks,
  Cell,
  Choice,
  Line,
  SheetForm,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Unseen,
} from "../../kit";
import { ROLE_NAMES, ROLES_SAID } from "./roles";
import { ShownOnce } from "./ShownOnce";

type Member = Schemas["Member"];
type Role = Member["role"];
/** Who may do what. Owners add people, change roles and take people out. */
export function Members({ book, owner }: { book: string; owner: boolean }) {
  const members = useMembers(book);
  const give = useGiveRole(book);
  const out = useTakeOut(book);
  const again = useLinkAgain(book);
  const [link, setLink] = useState("");
  if (members.error && !members.data)
    return <Failure error={members.error} again={() => members.refetch()} />;
  if (members.isPending) return <Loading what="the members" />;
  const refused = give.error ?? out.error ?? again.error;
  return (
    <section>
      <h2>Members</h2>
      <Table aria-label="Members" sx={{ marginTop: 6, maxWidth: 820 }}>
        <TableHead>
          <TableRow>
            <Cell>Name</Cell>
            <Cell wide>Signs in as</Cell>
            <Cell>Role</Cell>
            <Cell>
              <Unseen>what can be done</Unseen>
            </Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {members.data.map((member) => (
            <TableRow key={member.id}>
              <Cell>
                <b>{member.name}</b>
                {member.waits && (
                  <Text as="span" tone="faded">
                    {" "}
                    has not signed in yet
                  </Text>
                )}
                {member.by_group && (
                  <Text as="span" tone="faded">
                    {" "}
                    by group
                  </Text>
                )}
              </Cell>
              <Cell wide>{member.username}</Cell>
              <Cell>
                {owner ? (
                  <Choice
                    aria-label={`Role of ${member.name}`}
                    value={member.role}
                    disabled={give.isPending}
                    onChange={(e) => give.mutate({ member: member.id, role: e.target.value as Role })}
                  >
                    {ROLE_NAMES}
                  </Choice>
                ) : (
                  member.role
                )}
              </Cell>
              <Cell>
                {owner && (
                  <Line>
                    {member.waits && (
                      <TextButton
                        small
                        onClick={() => again.mutate(member.id, { onSuccess: (made) => setLink(made.link) })}
                      >
                        another link
                      </TextButton>
                    )}
                    <Asks
                      text
                      label="take out"
                      aria-label={`take out ${member.name}`}
                      question={`Take ${member.name} out of this book?`}
                      said="What they recorded, wrote and decided stays."
                      yes="Take them out"
                      onYes={() => out.mutate(member.id)}
                    />
                  </Line>
                )}
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Refused error={refused} />
      <ShownOnce what={link} said="Give this link to them; it is good for an hour and shown this once." />
      {owner && (
        <InPlace verb="Add somebody">
          {(close) => <Adding book={book} made={setLink} close={close} />}
        </InPlace>
      )}
    </section>
  );
}

interface AddingProps {
  book: string;
  made: (link: string) => void;
  close: () => void;
}

function Adding({ book, made, close }: AddingProps) {
  const add = useAddMember(book);
  const sheet = useSheet<Schemas["MemberInRequest"], Schemas["MemberMade"]>({
    values: { username: "", role: "reader", new: false },
    send: add.mutateAsync,
    sent: (answer) => {
      made(answer.link);
      close();
    },
  });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ marginTop: 12, maxWidth: 420, gap: 12 }}>
      <Written
        autoFocus
        of={sheet}
        name="username"
        label="Signs in as"
        rules={{ ...required, ...text(150) }}
        autoComplete="off"
      />
      <Chosen of={sheet} name="role" label="Role">
        {ROLES_SAID}
      </Chosen>
      <Ticked of={sheet} name="new" label="Somebody new: make them a link to sign in with" />
      <Sending of={sheet} verb="Add" leave={close} />
    </SheetForm>
  );
}
