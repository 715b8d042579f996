import type { Schemas } from "../../api/client";
import { useGiveGroup, useGroups, useTakeGroup } from "../../api/people";
import { useWays } from "../../api/queries";
import { Failure, Loading, Refused } from "../../app/states";
import { Chosen, InPlace, required, Sending, text, useSheet, Written } from "../../form";
import { Asks, Cell, SheetForm, Table, TableBody, TableHead, TableRow, Text, Unseen } from "../../kit";
import { ROLES_SAID } from "./roles";

/** Roles by group, where people sign in with an account that the team has elsewhere. */
export function Groups({ book }: { book: string }) {
  const elsewhere = useWays().data?.sign_on;
  return elsewhere ? <OfGroups book={book} elsewhere={elsewhere} /> : null;
}

function OfGroups({ book, elsewhere }: { book: string; elsewhere: string }) {
  const groups = useGroups(book);
  const take = useTakeGroup(book);
  if (groups.error && !groups.data) return <Failure error={groups.error} again={() => groups.refetch()} />;
  if (groups.isPending) return <Loading what="the groups" />;
  return (
    <section>
      <h2>Roles by group</h2>
      <Text tone="faded" size={13} sx={{ marginTop: 4, maxWidth: 720 }}>
        Who signs in with {elsewhere} gets the highest role of their groups, and loses it when they sign in
        without the group. Roles that somebody gave by hand stay.
      </Text>
      {groups.data.length > 0 && (
        <Table aria-label="Groups" sx={{ marginTop: 6, maxWidth: 620 }}>
          <TableHead>
            <TableRow>
              <Cell>Group</Cell>
              <Cell>Role</Cell>
              <Cell>
                <Unseen>what can be done</Unseen>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {groups.data.map((given) => (
              <TableRow key={given.id}>
                <Cell strong>{given.group}</Cell>
                <Cell>{given.role}</Cell>
                <Cell>
                  <Asks
                    text
                    label="take"
                    aria-label={`take the role of ${given.group}`}
                    question={`Take the role of ${given.group}?`}
                    said="Whoever has their role by it alone leaves the book when they sign in next."
                    yes="Take it"
                    onYes={() => take.mutate(given.id)}
                  />
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      <Refused error={take.error} />
      <InPlace verb="Give a group a role">{(close) => <Adding book={book} close={close} />}</InPlace>
    </section>
  );
}

function Adding({ book, close }: { book: string; close: () => void }) {
  const give = useGiveGroup(book);
  const sheet = useSheet<Schemas["GroupInRequest"], Schemas["Group"]>({
    values: { group: "", role: "reader" },
    send: give.mutateAsync,
    sent: close,
  });
  return (
    <SheetForm noValidate onSubmit={sheet.submit} sx={{ marginTop: 12, maxWidth: 420, gap: 12 }}>
      <Written
        autoFocus
        of={sheet}
        name="group"
        label="Group"
        hint="as the provider of accounts calls it"
        rules={{ ...required, ...text(160) }}
        autoComplete="off"
      />
      <Chosen of={sheet} name="role" label="Role">
        {ROLES_SAID}
      </Chosen>
      <Sending of={sheet} verb="Give it" leave={close} />
    </SheetForm>
  );
}
