import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useArms, useEntries, useJob, useKeepPair } from "../../api/queries";
import { useTitle } from "../../app/head";
import { JobProgress } from "../../app/JobProgress";
import { Empty, Failure, Loading, Refused } from "../../app/states";
import { commonReach, IntervalStrip } from "../../charts/IntervalStrip";
import { FigureLadder } from "../../figures/FigureLadder";
import { Findings } from "../../figures/Findings";
import { net, place } from "../../figures/places";
import { Word } from "../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Choice,
  Columns,
  Ends,
  PageTitle,
  Search,
  Sentence,
  Stamp,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleRow,
  Unseen,
} from "../../kit";
import { asked, MOST_ARMS, mark, without } from "./address";

type Answer = Schemas["Arms"];

/** The arms by name, the first being what the others are held against; the empty one is told apart. */
function Chosen({ answer, marks }: { answer: Answer | undefined; marks: string[] }) {
  const [search, setSearch] = useSearchParams();
  const change = (values: URLSearchParams) => setSearch(values, { replace: true });
  const empty = search.get("empty");
  return (
    <Table aria-label="Arms">
      <TableHead>
        <TableRow>
          <Cell sx={{ width: 24 }}>
            <Unseen>Number</Unseen>
          </Cell>
          <Cell>Arm</Cell>
          <Cell align="right">Runs</Cell>
          <Cell align="right" wide>
            Frames
          </Cell>
          <Cell wide>Scenario</Cell>
          <Cell wide>Rig</Cell>
          <Cell>
            <Unseen>what can be done</Unseen>
          </Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {marks.map((text, i) => {
          const arm = answer?.arms[i];
          const told = mark(text);
          return (
            <TableRow key={text}>
              <Cell align="right" tone="faded">
                {i + 1}
              </Cell>
              <Cell>
                <b>{arm?.name ?? (told.entry ? `no. ${told.entry} ${told.side}` : "chosen runs")}</b>{" "}
                {String(i) === empty ? (
                  <Text as="span" tone="faded">
                    empty, taken off the others
                  </Text>
                ) : (
                  i === 0 &&
                  search.get("against") !== "all" && (
                    <Text as="span" tone="faded">
                      the others are held against it
                    </Text>
                  )
                )}
              </Cell>
              <Cell align="right">{arm?.runs.length ?? told.runs?.length}</Cell>
              <Cell align="right" wide>
                {arm?.frames.toLocaleString("en-GB")}
              </Cell>
              <Cell wide>{arm?.scenario}</Cell>
              <Cell wide>{arm?.rig}</Cell>
              <Cell nowrap sx={{ textAlign: "right" }}>
                {i > 0 && (
                  <TextButton
                    small
                    onClick={() => {
                      const rest = without(search, text);
                      const arms = [text, ...rest.getAll("arm")];
                      rest.delete("arm");
                      for (const a of arms) rest.append("arm", a);
                      change(rest);
                    }}
                  >
                    put first
                  </TextButton>
                )}{" "}
                <TextButton small onClick={() => change(without(search, text))}>
                  leave out
                </TextButton>
              </Cell>
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}

/** Another arm: a side of an entry that the server finds, or single runs. */
function Another({ book }: { book: string }) {
  const [search, setSearch] = useSearchParams();
  const [find, setFind] = useState("");
  const entries = useEntries(book, { find, recorded: true, page_size: 30 });
  const taken = new Set(search.getAll("arm"));
  const offered = (entries.data?.pages[0]?.results ?? [])
    .flatMap((e) => (["before", "after"] as const).map((side) => ({ e, side, text: `${e.number}.${side}` })))
    .filter((o) => !taken.has(o.text));
  if (taken.size >= MOST_ARMS)
    return (
      <Text as="span" tone="faded" small>
        {MOST_ARMS} arms are the most.
      </Text>
    );
  return (
    <>
      <Search
        label="Another arm"
        placeholder="another arm: an entry's title or number"
        options={offered}
        busy={entries.isFetching}
        keyOf={(o) => o.text}
        sayOf={({ e, side }) => `no. ${e.number} ${side}: ${e.title}`}
        onText={setFind}
        onChoose={(o) => {
          const next = new URLSearchParams(search);
          next.append("arm", o.text);
          next.delete("pair");
          setSearch(next, { replace: true });
        }}
      />
      <Link to={`/${book}/runs?${new URLSearchParams(search).toString()}`}>or from single runs</Link>
    </>
  );
}

/** The places that significant differences leave each arm, an arm a row and a primary a column. */
function Places({ answer }: { answer: Answer }) {
  const figures = [...new Set(answer.ranks.map((r) => r.figure))];
  const names = answer.arms.map((a) => a.name).filter((n) => answer.ranks.some((r) => r.arm === n));
  if (figures.length === 0 && answer.net.length === 0) return null;
  const own = new Map(answer.net.map((n) => [n.arm, n]));
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>Places</h2>
      <Table aria-label="Places">
        <TableHead>
          <TableRow>
            <Cell>Arm</Cell>
            {figures.map((f) => (
              <Cell key={f} align="right">
                {f}
              </Cell>
            ))}
            {own.size > 0 && <Cell align="right">Mean frame, net of the empty arm</Cell>}
          </TableRow>
        </TableHead>
        <TableBody>
          {(names.length > 0 ? names : [...own.keys()]).map((name) => {
            const left = own.get(name);
            return (
              <TableRow key={name}>
                <Cell>{name}</Cell>
                {figures.map((f) => {
                  const rank = answer.ranks.find((r) => r.figure === f && r.arm === name);
                  return (
                    <Cell key={f} align="right">
                      {rank && place(rank)}
                    </Cell>
                  );
                })}
                {own.size > 0 && <Cell align="right">{left && net(left)}</Cell>}
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        1 is the best. A range is what the significant differences leave open; all pairs of a figure count
        together.
      </Text>
    </Box>
  );
}

function Pairs({ answer, book }: { answer: Answer; book: string }) {
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const keep = useKeepPair(book);
  const writing = useJob(keep.data);
  const written = writing?.result?.number;
  const client = useQueryClient();
  useEffect(() => {
    if (written === undefined) return;
    void client.invalidateQueries({ queryKey: ["book", book] });
    navigate(`/${book}/entries/${written}`);
  }, [written, book, client, navigate]);
  const key = (p: Answer["pairs"][number]) => `${p.before}-${p.after}`;
  const chosen = answer.pairs.find((p) => key(p) === search.get("pair")) ?? answer.pairs[0];
  const strips = answer.pairs.flatMap((p) => {
    const mean = p.result.figures.mean_ms;
    return mean ? [{ strip: mean, higherIsBetter: false }] : [];
  });
  const reach = commonReach(strips);
  const name = (i: number) => answer.arms[i]?.name ?? "";
  if (!chosen) return null;
  return (
    <>
      <Table aria-label="Pairs" sx={{ marginTop: 14 }}>
        <TableHead>
          <TableRow>
            <Cell tone="before">◇ Before</Cell>
            <Cell tone="after">◆ After</Cell>
            <Cell wide>
              Mean frame
              <br />← saved, spent →
            </Cell>
            <Cell align="right">Saved ms</Cell>
            <Cell align="right">Spent ms</Cell>
            <Cell align="right">95 % interval</Cell>
            <Cell>Verdict</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {answer.pairs.map((p) => {
            const mean = p.result.figures.mean_ms;
            const judged = p.result.verdict !== "void";
            return (
              <TableRow
                key={key(p)}
                data-link
                selected={p === chosen}
                onClick={() => {
                  const next = new URLSearchParams(search);
                  next.set("pair", key(p));
                  setSearch(next, { replace: true });
                }}
              >
                <Cell>
                  <TextButton sx={{ textAlign: "left" }} aria-pressed={p === chosen}>
                    {name(p.before)}
                  </TextButton>
                </Cell>
                <Cell>{name(p.after)}</Cell>
                <Cell wide>
                  {mean && judged && (
                    <IntervalStrip
                      strip={mean}
                      reach={reach}
                      said={`Mean frame: ${name(p.after)} against ${name(p.before)}`}
                    />
                  )}
                </Cell>
                <Amounts
                  column={judged ? (mean?.words.column ?? "") : ""}
                  size={mean?.words.difference ?? ""}
                  credited={p.result.verdict !== "undecided"}
                />
                <Ends interval={judged ? (mean?.words.interval ?? "") : ""} />
                <Cell>
                  <Stamp verdict={p.result.verdict} word={p.result.stamp} />
                </Cell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      <Places answer={answer} />
      <Box component="section" sx={{ marginTop: 18 }}>
        <Box sx={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap" }}>
          <h2>
            {name(chosen.after)} against {name(chosen.before)}
          </h2>
          <Button
            sx={{ marginLeft: "auto" }}
            disabled={keep.isPending || ["waiting", "running", "done"].includes(writing?.state ?? "")}
            onClick={() =>
              keep.mutate({
                title: `${name(chosen.after)} against ${name(chosen.before)}`.slice(0, 200),
                before: answer.arms[chosen.before]?.runs ?? [],
                after: answer.arms[chosen.after]?.runs ?? [],
              })
            }
          >
            Write it into the ledger
          </Button>
        </Box>
        {writing && writing.state !== "done" && <JobProgress job={writing} ended="no entry was written" />}
        <Refused error={keep.error} />
        <Sentence>{chosen.result.sentence}</Sentence>
        <Columns>
          <FigureLadder
            figures={Object.values(chosen.result.figures)}
            primaries={chosen.result.primaries}
            judged={chosen.result.verdict !== "void"}
            credited={!["void", "undecided"].includes(chosen.result.verdict)}
          />
          <Findings findings={chosen.result.findings} />
        </Columns>
      </Box>
    </>
  );
}

const SESSIONS = (count: number) =>
  count === 0
    ? "The order they were recorded in is not known."
    : count === 1
      ? "All of one recording, in the order recorded."
      : `From ${count} recordings; arms are tested only where a recording holds both.`;

/** Arms of stored runs side by side, of one recording or of several. Nothing is kept; the address restores it. */
export default function ArmsPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const [written, setWritten] = useState(false);
  const marks = search.getAll("arm");
  useTitle("Arms side by side");
  const { begun, job, found } = useArms(book, asked(search));
  const set = (key: string, value: string) => {
    const next = new URLSearchParams(search);
    next.delete("pair");
    if (value) next.set(key, value);
    else next.delete(key);
    setSearch(next, { replace: true });
  };
  const copy = async () => {
    await navigator.clipboard.writeText(window.location.href);
    setWritten(true);
  };
  const error = begun.error ?? found.error;
  const answer = marks.length > 1 && !error ? found.data : undefined;
  const going = job && job.state !== "done";
  return (
    <article>
      <TitleRow sx={{ marginBottom: 8 }}>
        <div>
          <PageTitle>
            <Word of="arm">Arms</Word> side by side
          </PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {answer
              ? SESSIONS(answer.sessions)
              : "Sides of entries, or single runs: two to eight, and an empty one."}
          </Text>
        </div>
        <Box sx={{ display: "flex", gap: 12, alignItems: "baseline" }}>
          <Link to={`/${book}/chain`}>Do the steps add up?</Link>
          {marks.length > 1 && <Button onClick={copy}>{written ? "Copied" : "Copy the link"}</Button>}
        </Box>
      </TitleRow>
      {marks.length > 0 && (
        <Chosen answer={found.isPlaceholderData || going ? undefined : answer} marks={marks} />
      )}
      <Box sx={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap", marginTop: 8 }}>
        <Another book={book} />
        {marks.length > 2 && (
          <>
            <Choice
              aria-label="Held against"
              value={search.get("against") ?? ""}
              onChange={(e) => set("against", e.target.value)}
            >
              <option value="">all against the first</option>
              <option value="all">every pair</option>
            </Choice>
            <Choice
              aria-label="Empty arm"
              value={search.get("empty") ?? ""}
              onChange={(e) => set("empty", e.target.value)}
            >
              <option value="">no empty arm</option>
              {marks.map((text, i) => (
                <option key={text} value={i}>
                  arm {i + 1} is empty
                </option>
              ))}
            </Choice>
          </>
        )}
      </Box>
      {marks.length < 2 && (
        <Empty title={marks.length === 0 ? "No arm is chosen yet" : "One more arm"}>
          <p>
            Choose sides of entries above, or tick runs in the list of runs. Arms of one recording are tested
            against each other; arms recorded on different days are shown, and tested only where each day has
            both.
          </p>
        </Empty>
      )}
      {error && <Failure error={error} again={() => (begun.error ? begun : found).refetch()} />}
      {going && <JobProgress job={job} ended="nothing was kept" again={() => begun.refetch()} />}
      {(begun.isFetching || found.isFetching) && !going && !answer && <Loading what="the arms" />}
      {answer && !going && <Pairs answer={answer} book={book} />}
    </article>
  );
}
