import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { useSession } from "../../api/queries";
import {
  asked,
  FORMS,
  type Form,
  type Of,
  type Paper,
  statementAddress,
  useStatement,
} from "../../api/statements";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { Choice, colour, Field, InlineForm, PageTitle, Pile, Text, TextInput } from "../../kit";
import { HandOvers } from "./HandOvers";
import { Links } from "./Links";

const Desk = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "238px minmax(0, 1fr)",
  gap: 26,
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

/** The statement as it will be printed: paper is white by night too. */
const Sheet = styled("iframe")({
  width: "100%",
  height: "max(620px, calc(100vh - 112px))",
  border: `1px solid ${colour.rule}`,
  background: "#fff",
});

const Forms = styled("ul")({
  listStyle: "none",
  margin: "4px 0 0",
  padding: 0,
  display: "flex",
  flexWrap: "wrap",
  gap: "2px 14px",
});

/** A whole number of an address. */
const key = (text: string | null) => (text && /^\d{1,9}$/.test(text) ? Number(text) : null);

/** One page to hand out: of an entry, of several with their balance, of a goal, of an account, or for the specialist of another trade. */
export default function StatementPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const line = useSession().data?.books.find((b) => b.slug === book);
  const may = useMay();
  const of: Of = {
    entries: search.get("entries") ?? "",
    goal: key(search.get("goal")),
    hand_over: key(search.get("hand_over")),
    account: /^[\da-f-]{36}$/.test(search.get("account") ?? "") ? (search.get("account") ?? "") : "",
  };
  const paper: Paper = search.get("paper") === "letter" ? "letter" : "a4";
  const statement = useStatement(book, of);
  useTitle(statement.data ? `Statement: ${statement.data.title}` : "Statement");
  const only = statement.data?.entries?.[0]?.number;
  const shown = Object.values(asked(of)).some(Boolean);
  return (
    <Desk>
      <Pile>
        <PageTitle>Statement</PageTitle>
        <Entries
          key={of.entries}
          entries={of.entries}
          say={(entries) => setSearch({ entries, ...(paper === "letter" && { paper }) })}
        />
        {shown && !statement.error && (
          <>
            <Field label="Paper">
              <Choice
                value={paper}
                onChange={(e) => {
                  search.set("paper", e.target.value);
                  setSearch(search, { replace: true });
                }}
              >
                <option value="a4">A4</option>
                <option value="letter">Letter</option>
              </Choice>
            </Field>
            <section>
              <h2>Take it out</h2>
              <Forms>
                {(Object.keys(FORMS) as Form[]).map((form) => (
                  <li key={form}>
                    <a href={statementAddress(book, of, form, paper)} target="_blank" rel="noreferrer">
                      {FORMS[form]}
                    </a>
                  </li>
                ))}
              </Forms>
            </section>
            {only !== undefined && <HandOvers book={book} number={only} />}
            {line && may.write && <Links book={line} of={of} />}
          </>
        )}
      </Pile>
      {!shown ? (
        <Empty title="Say what it is of">
          <p>
            Name entries on the left (4, or 1-8, or 1,3,7), or open the statement of an entry, of a goal or of
            an account there.
          </p>
          <Link to={`/${book}`}>The ledger</Link>
        </Empty>
      ) : statement.error && !statement.data ? (
        <Failure error={statement.error} again={() => statement.refetch()} />
      ) : statement.data ? (
        <Sheet
          key={statement.dataUpdatedAt}
          title={statement.data.title}
          sandbox=""
          src={statementAddress(book, of, "html", paper)}
        />
      ) : (
        <Loading what="the statement" />
      )}
    </Desk>
  );
}

function Entries({ entries, say }: { entries: string; say: (entries: string) => void }) {
  const [written, setWritten] = useState(entries);
  return (
    <InlineForm
      onSubmit={(e) => {
        e.preventDefault();
        if (written.trim()) say(written.trim());
      }}
    >
      <Field
        label="Of the entries"
        hint={
          <Text small tone="faded">
            4, or 1-8, or 1,3,7
          </Text>
        }
      >
        <TextInput
          value={written}
          maxLength={700}
          inputMode="numeric"
          sx={{ width: 150 }}
          onChange={(e) => setWritten(e.target.value)}
        />
      </Field>
      <Button type="submit">Draw it up</Button>
    </InlineForm>
  );
}
