import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { type Of, useMakeLink, useRevokeLink, useStatementLinks } from "../../api/statements";
import { day } from "../../app/days";
import { Failure, Refused } from "../../app/states";
import { amount, FormDialog, required, useSheet, Written } from "../../form";
import { Asks, RuledList, Text } from "../../kit";
import { ShownOnce } from "../book/ShownOnce";

type StatementLink = Schemas["Link"];
const good = (link: StatementLink) => !link.revoked_at && new Date(link.expires_at) > new Date();

/** Links that show a statement without signing in, for a set time. */
export function Links({ book, of }: { book: Schemas["Book"]; of: Of }) {
  const links = useStatementLinks(book.slug);
  const revoke = useRevokeLink(book.slug);
  const [open, setOpen] = useState(false);
  const [made, setMade] = useState("");
  if (links.error && !links.data) return <Failure error={links.error} again={() => links.refetch()} />;
  const standing = (links.data ?? []).filter(good);
  return (
    <section>
      <h2>Without signing in</h2>
      {!book.links_allowed ? (
        <Text small tone="faded" sx={{ marginTop: 4 }}>
          Links that show a statement to whoever has them are off in this book.{" "}
          {book.role === "owner" ? (
            <Link to={`/${book.slug}/book`}>Allow them</Link>
          ) : (
            "Its owner can allow them."
          )}
        </Text>
      ) : (
        <>
          <RuledList aria-label="Links">
            {standing.map((link) => (
              <li key={link.id}>
                {link.title}{" "}
                <Text as="span" tone="faded">
                  until {day(link.expires_at)},{" "}
                  {link.last_used ? `last seen ${day(link.last_used)}` : "never opened"}
                </Text>{" "}
                <Asks
                  text
                  label="revoke"
                  aria-label={`revoke the link to ${link.title}`}
                  question="Revoke this link?"
                  said="From then on it shows nothing, and cannot be made good again."
                  yes="Revoke it"
                  onYes={() => revoke.mutate(link.id)}
                />
              </li>
            ))}
          </RuledList>
          <Refused error={revoke.error} />
          <ShownOnce what={made} said="Whoever has this link sees this statement. It is shown this once." />
          <Button sx={{ marginTop: 8 }} onClick={() => setOpen(true)}>
            Make a link
          </Button>
          {open && <Making book={book.slug} of={of} made={setMade} close={() => setOpen(false)} />}
        </>
      )}
    </section>
  );
}

interface MakingProps {
  book: string;
  of: Of;
  made: (address: string) => void;
  close: () => void;
}

function Making({ book, of, made, close }: MakingProps) {
  const make = useMakeLink(book);
  const sheet = useSheet({
    values: { days: "14" },
    send: ({ days }) => make.mutateAsync({ ...of, account: of.account || null, days: Number(days) }),
    sent: (answer) => {
      made(answer.address);
      close();
    },
  });
  return (
    <FormDialog of={sheet} title="A link to this statement" verb="Make it" close={close}>
      <Text tone="faded" size={13}>
        It shows this statement, as it then is, to whoever has it, and nothing else of the book. It can be
        revoked.
      </Text>
      <Written
        autoFocus
        of={sheet}
        name="days"
        label="Good for days"
        inputMode="numeric"
        rules={{ ...required, ...amount({ least: 1, most: 365, whole: true }) }}
      />
    </FormDialog>
  );
}
