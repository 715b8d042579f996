import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { type Idea, useBacklog, useChangeIdea } from "../../api/backlog";
import { GAINS } from "../../api/evidence";
import { useOpenEntry } from "../../api/queries";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { Word } from "../../figures/Word";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import {
  Cell,
  Choice,
  Line,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Wide,
} from "../../kit";
import { IdeaForm } from "./IdeaForm";

/** What became of an idea that is ended. */
function Ending({
  book,
  idea,
  state,
  close,
}: {
  book: string;
  idea: Idea;
  state: "tried" | "dropped";
  close: () => void;
}) {
  const change = useChangeIdea(book);
  const sheet = useSheet({
    values: { became: "" },
    send: ({ became }) => change.mutateAsync({ key: idea.id, state, became }),
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={state === "tried" ? "It was tried" : "Drop the idea"}
      verb={state === "tried" ? "Tried" : "Drop it"}
      close={close}
    >
      <Text>{idea.title}</Text>
      <Written
        of={sheet}
        name="became"
        label={state === "tried" ? "What became of it" : "Why"}
        lines={2}
        rules={{ ...required, ...text(4000) }}
      />
    </FormDialog>
  );
}

function Row({
  book,
  idea,
  end,
}: {
  book: string;
  idea: Idea;
  end: (idea: Idea, state: "tried" | "dropped") => void;
}) {
  const may = useMay();
  const change = useChangeIdea(book);
  const open = useOpenEntry(book);
  const navigate = useNavigate();
  const ended = idea.state !== "open";
  const plan = () =>
    open.mutate(
      { title: idea.title, why: idea.why, expected: idea.gain && `${idea.gain} at most.` },
      { onSuccess: (entry) => navigate(`/${book}/bench/plan?entry=${entry.number}`) },
    );
  return (
    <TableRow>
      <Cell align="right">{idea.rank ?? ""}</Cell>
      <Cell {...(ended && { tone: "faded" as const })}>
        {idea.title}
        <Text as="div" small tone="faded">
          {idea.entry !== null ? (
            <Link to={`/${book}/entries/${idea.entry}/work?see=free&arm=${idea.arm || "after"}`}>
              entry {idea.entry}, {idea.arm || "after"}
            </Link>
          ) : (
            idea.scenario
          )}
          {idea.parts.map((part) => (
            <span key={part.path.join("/")}>
              , {part.path.join(" / ")} {part.left === 0 ? "free" : `at ${Math.round(100 * part.left)} %`}
            </span>
          ))}
        </Text>
      </Cell>
      <Cell align="right">
        {idea.gain || (
          <Text as="span" tone="faded">
            not computed
          </Text>
        )}
      </Cell>
      <Cell>{idea.effort}</Cell>
      <Cell>{idea.risk}</Cell>
      <Cell wide>
        {idea.why}
        <Text as="div" small tone="faded">
          {idea.by}, {day(idea.made_at)}
        </Text>
      </Cell>
      <Cell>
        {ended ? (
          <>
            {idea.state}: {idea.became}{" "}
            {may.write && (
              <TextButton small faded onClick={() => change.mutate({ key: idea.id, state: "open" })}>
                open again
              </TextButton>
            )}
          </>
        ) : (
          may.write && (
            <Line>
              <TextButton small onClick={plan} disabled={open.isPending}>
                plan its test
              </TextButton>
              <TextButton small faded onClick={() => end(idea, "tried")}>
                tried
              </TextButton>
              <TextButton small faded onClick={() => end(idea, "dropped")}>
                drop
              </TextButton>
            </Line>
          )
        )}
        {(open.error || change.error) && (
          <Text small tone="spent" role="alert">
            {(open.error ?? change.error)?.message}
          </Text>
        )}
      </Cell>
    </TableRow>
  );
}

/** The backlog: what could be tried next, ranked by what it could bring at most. */
export default function BacklogPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const asked = GAINS.find(([figure]) => figure === search.get("by"))?.[0];
  const query = useBacklog(book, asked);
  const may = useMay();
  const [writing, setWriting] = useState(false);
  const [ending, setEnding] = useState<{ idea: Idea; state: "tried" | "dropped" } | null>(null);
  useTitle("Backlog");
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const found = query.data;
  if (!found) return <Loading what="the backlog" />;
  return (
    <article>
      <Line>
        <PageTitle>Backlog</PageTitle>
        <Choice
          aria-label="Ranked by"
          value={found.by}
          onChange={(e) => {
            search.set("by", e.target.value);
            setSearch(search, { replace: true });
          }}
        >
          {GAINS.map(([figure, words]) => (
            <option key={figure} value={figure}>
              {words}
            </option>
          ))}
        </Choice>
        {may.write && <Button onClick={() => setWriting(true)}>Another idea</Button>}
      </Line>
      <Text tone="faded" size={13} sx={{ margin: "6px 0 10px" }}>
        What could be tried next, and what it could bring at most. Ideas that cannot be told apart share a
        rank; what several bring together is told on <i>if it were free</i>, it does not add up.
      </Text>
      {found.ideas.length === 0 ? (
        <Empty title="Nothing is written down yet">
          <p>
            Open an entry's Work, <i>if it were free</i>, move a part and write it down; or write an idea of
            another kind here.
          </p>
        </Empty>
      ) : (
        <Wide aria-label="Ideas">
          <Table aria-label="Ideas">
            <TableHead>
              <TableRow>
                <Cell align="right">Rank</Cell>
                <Cell>Idea</Cell>
                <Cell align="right">
                  <Word of="free">At most</Word>
                </Cell>
                <Cell>Effort</Cell>
                <Cell>Risk</Cell>
                <Cell wide>Why</Cell>
                <Cell />
              </TableRow>
            </TableHead>
            <TableBody>
              {found.ideas.map((idea) => (
                <Row
                  key={idea.id}
                  book={book}
                  idea={idea}
                  end={(one, state) => setEnding({ idea: one, state })}
                />
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      {writing && <IdeaForm book={book} close={() => setWriting(false)} />}
      {ending && <Ending book={book} {...ending} close={() => setEnding(null)} />}
    </article>
  );
}
