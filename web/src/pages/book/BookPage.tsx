import Button from "@mui/material/Button";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useLog, useRenameBook } from "../../api/people";
import { useSession } from "../../api/queries";
import { useAllowLinks } from "../../api/statements";
import { moment } from "../../app/days";
import { useTitle } from "../../app/head";
import { Failure, Loading, Refused } from "../../app/states";
import { required, Said, text, useSheet, Written } from "../../form";
import {
  Cell,
  InlineForm,
  Line,
  PageTitle,
  Pile,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
  Tick,
  TitleRow,
} from "../../kit";
import { Groups } from "./Groups";
import { Members } from "./Members";
import { Seal } from "./Seal";
import { Thinning } from "./Thinning";
import { Tokens } from "./Tokens";

/** The book's own affairs: its name, who may do what in it, its recorders' tokens, and what was done. */
export default function BookPage() {
  const { book: slug = "" } = useParams();
  const book = useSession().data?.books.find((b) => b.slug === slug);
  useTitle("The book");
  if (!book) return null;
  const owner = book.role === "owner";
  return (
    <Pile sx={{ gap: 26 }}>
      <Name book={book} owner={owner} />
      <Members book={slug} owner={owner} />
      {owner && <Groups book={slug} />}
      <Seal book={slug} />
      {owner && <Tokens book={slug} />}
      {owner && <LinksAllowed book={book} />}
      {owner && <Thinning book={slug} />}
      {owner && <Log book={slug} />}
    </Pile>
  );
}

function Name({ book, owner }: { book: Schemas["Book"]; owner: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <TitleRow>
      <div>
        <PageTitle>{book.name}</PageTitle>
        <Text tone="faded" size={13}>
          {owner ? "You own this book." : `Your role in this book: ${book.role}.`}
        </Text>
      </div>
      {owner && !open && <Button onClick={() => setOpen(true)}>Another name</Button>}
      {open && <Renaming book={book} close={() => setOpen(false)} />}
    </TitleRow>
  );
}

function Renaming({ book, close }: { book: Schemas["Book"]; close: () => void }) {
  const rename = useRenameBook(book.slug);
  const sheet = useSheet({ values: { name: book.name }, send: rename.mutateAsync, sent: close });
  return (
    <InlineForm noValidate onSubmit={sheet.submit}>
      <Written bare of={sheet} name="name" label="Name of the book" rules={{ ...required, ...text(120) }} />
      <Button type="submit" disabled={sheet.sending}>
        Rename
      </Button>
      <Button onClick={close}>Leave</Button>
      <Said of={sheet} />
    </InlineForm>
  );
}

/** Off until an owner says otherwise. */
function LinksAllowed({ book }: { book: Schemas["Book"] }) {
  const allow = useAllowLinks(book);
  return (
    <section>
      <h2>Statements without signing in</h2>
      <Tick
        label="Links may show one statement each to whoever has them, for a set time"
        checked={book.links_allowed}
        disabled={allow.isPending}
        onChange={(e) => allow.mutate(e.target.checked)}
      />
      <Text tone="faded" size={13}>
        Links are made, and revoked, beside a statement. Taken back here, none of them shows anything.
      </Text>
      <Refused error={allow.error} />
    </section>
  );
}

function Log({ book }: { book: string }) {
  const [find, setFind] = useState("");
  const log = useLog(book, useDeferredValue(find.trim()));
  if (log.error && !log.data) return <Failure error={log.error} again={() => log.refetch()} />;
  if (log.isPending) return <Loading what="the log" />;
  const lines = log.data.pages.flatMap((page) => page.results);
  return (
    <section>
      <h2>What was done</h2>
      <Line sx={{ marginTop: 6 }} role="search" aria-label="Which lines of the log">
        <TextInput
          aria-label="In what was done, to what and by whom"
          placeholder="role, token, a name …"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
        {lines.length === 0 && <Text tone="faded">No line says that.</Text>}
      </Line>
      <Table aria-label="The log" sx={{ marginTop: 6 }}>
        <TableHead>
          <TableRow>
            <Cell>When</Cell>
            <Cell wide>Who</Cell>
            <Cell>What</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {lines.map((line) => (
            <TableRow key={line.id}>
              <Cell nowrap>{moment(line.at)}</Cell>
              <Cell wide>{line.by}</Cell>
              <Cell>
                {line.what}: <span>{line.text}</span>
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {log.hasNextPage && (
        <TextButton small disabled={log.isFetchingNextPage} onClick={() => log.fetchNextPage()}>
          earlier
        </TextButton>
      )}
    </section>
  );
}
