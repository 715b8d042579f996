import Button from "@mui/material/Button";
import { memo, useCallback, useMemo, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { usePurgeOfRuns, useRuns, useScenarios } from "../../api/queries";
import { moment } from "../../app/days";
import { useFilters } from "../../app/filters";
import { useTitle } from "../../app/head";
import { useKept } from "../../app/kept";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Line,
  LinkRow,
  OneOf,
  PageTitle,
  Room,
  RowTick,
  SortCell,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
  TitleLink,
  Unseen,
  useRows,
} from "../../kit";
import { PurgeDialog } from "../purge/PurgeDialog";
import { SetAside } from "./SetAside";

type RunLine = Schemas["RunLine"];
const OUTCOMES: RunLine["outcome"][] = ["complete", "crashed", "hung", "wrong exit", "skipped", "broken"];
const NAMES = ["find", "outcome", "scenario", "aside", "ordering"] as const;
const canServe = (run: RunLine) => run.state === "complete" && run.outcome === "complete";
const ASIDE = [
  ["false", "without those set aside"],
  ["true", "set aside"],
] as const;

interface RowProps {
  run: RunLine;
  index: number;
  book: string;
  chosen: boolean;
  ticked: boolean;
  onTick: (index: number, on: boolean, all: boolean) => void;
  measure: (element: HTMLTableRowElement | null) => void;
}

/** Has its outcome to be told where there is little room? */
const told = (run: RunLine) =>
  run.outcome !== "complete" || Boolean(run.detail || run.aside || run.thinned_at);

function Outcome({ run }: { run: RunLine }) {
  return (
    <>
      {run.outcome}
      {run.detail && (
        <Text as="span" tone="faded">
          {" "}
          ({run.detail})
        </Text>
      )}
      {run.aside && (
        <Text as="span" tone="faded">
          , <b>set aside</b>: {run.aside}
        </Text>
      )}
      {run.thinned_at && (
        <Text as="span" tone="faded">
          , figures alone
        </Text>
      )}
    </>
  );
}

/** One run; drawn again only where something of it changed, so that a tick is quick among ten thousand. */
const RunRow = memo(function RunRow({ run, index, book, chosen, ticked, onTick, measure }: RowProps) {
  const shift = useRef(false);
  return (
    <LinkRow
      ref={measure}
      data-index={index}
      aria-rowindex={index + 2}
      to={`/${book}/runs/${run.id}`}
      selected={chosen}
    >
      <Cell>
        <RowTick
          aria-label={`Take the run of ${run.started_at ? moment(run.started_at) : ""}, ${run.build}`}
          disabled={!canServe(run)}
          checked={ticked}
          onClick={(e) => {
            shift.current = e.shiftKey;
          }}
          onChange={(e) => onTick(index, e.target.checked, shift.current)}
        />
      </Cell>
      <Cell nowrap>
        <TitleLink to={`/${book}/runs/${run.id}`}>
          {run.started_at ? moment(run.started_at) : "time not known"}
        </TitleLink>
      </Cell>
      <Cell>
        {run.build}
        {told(run) && (
          <Box sx={{ display: { sm: "none" } }}>
            <Outcome run={run} />
          </Box>
        )}
      </Cell>
      <Cell wide>
        {run.scenario} {run.version}
      </Cell>
      <Cell wide>{run.rig}</Cell>
      <Cell align="right" wide>
        {(run.frames ?? 0).toLocaleString("en-GB")}
      </Cell>
      <Cell align="right" wide>
        {(run.seconds ?? 0).toFixed(1)}
      </Cell>
      <Cell align="right">{run.mean_ms?.toFixed(2)}</Cell>
      <Cell wide>
        <Outcome run={run} />
      </Cell>
    </LinkRow>
  );
});

/** Every run of the book: found, filtered and ordered by the server; the address keeps how. */
export function RunsPage() {
  const { book = "" } = useParams();
  const { filters, set, clear, any } = useFilters(NAMES);
  const pages = useRuns(book, {
    find: filters.find,
    outcome: filters.outcome ? [filters.outcome as RunLine["outcome"]] : undefined,
    scenario: filters.scenario ? Number(filters.scenario) : undefined,
    aside: filters.aside ? filters.aside === "true" : undefined,
    ordering: filters.ordering ? ([filters.ordering] as never) : undefined,
  });
  const scenarios = useScenarios(book);
  useTitle("Runs");
  const navigate = useNavigate();
  const [chosen, setChosen] = useKept("row", -1);
  const [ticked, setTicked] = useKept<readonly string[]>("ticks", []);
  const [last, setLast] = useKept("tick", -1);
  // Arms chosen before this one come along in the address.
  const [search] = useSearchParams();
  const others = search.getAll("arm").length;
  const take = () => {
    const next = new URLSearchParams(search.getAll("arm").map((arm) => ["arm", arm]));
    for (const key of ["against", "empty"]) if (search.has(key)) next.set(key, search.get(key) ?? "");
    next.append("arm", ticked.join("~"));
    navigate(`/${book}/arms?${next.toString()}`);
  };
  const runs = useMemo(() => pages.data?.pages.flatMap((p) => p.results) ?? [], [pages.data]);
  const marked = useMemo(() => new Set(ticked), [ticked]);
  const someAside = runs.some((run) => run.aside && marked.has(run.id));
  const [open, setOpen] = useState<"" | "aside" | "purge">("");
  const may = useMay();
  const purge = usePurgeOfRuns(book);
  const { body, items, before, after, measure, show } = useRows(runs.length, 34, {
    has: pages.hasNextPage,
    busy: pages.isFetchingNextPage,
    fetch: pages.fetchNextPage,
  });
  // A row is told the same function while lists and ticks change under it.
  const now = useRef({ runs, last });
  now.current = { runs, last };
  const onTick = useCallback(
    (index: number, on: boolean, range: boolean) => {
      const from = range && now.current.last >= 0 ? now.current.last : index;
      const some = now.current.runs
        .slice(Math.min(from, index), Math.max(from, index) + 1)
        .filter(canServe)
        .map((run) => run.id);
      setTicked((old) => (on ? [...new Set([...old, ...some])] : old.filter((id) => !some.includes(id))));
      setLast(index);
    },
    [setTicked, setLast],
  );
  const go = (step: number) => {
    const next = Math.max(0, Math.min(chosen + step, runs.length - 1));
    setChosen(next);
    show(next);
  };
  useKeys({
    j: () => go(1),
    k: () => go(-1),
    Enter: () => runs[chosen] && navigate(`/${book}/runs/${runs[chosen].id}`),
  });
  if (pages.error && !pages.data) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (pages.isPending) return <Loading what="the runs" />;
  const count = pages.data.pages[0]?.count ?? 0;
  const sort = { ordering: filters.ordering || "-started_at", onOrder: (by: string) => set("ordering", by) };
  return (
    <>
      <Line sx={{ marginBottom: 8, alignItems: "center" }}>
        <PageTitle>Runs</PageTitle>
        <Text as="span" tone="faded" role="status">
          {ticked.length > 0
            ? `${ticked.length} ticked`
            : others > 0
              ? `Tick the runs of arm ${others + 1}; with Shift all up to the last one ticked.`
              : "Tick runs to make an arm of them; with Shift all up to the last one ticked."}
        </Text>
        {ticked.length > 0 && (
          <>
            <Button disabled={someAside} onClick={take}>
              Make an arm of them
            </Button>
            {may.write && (
              <Button onClick={() => setOpen("aside")}>
                {someAside ? "Take them back" : "Set them aside"}
              </Button>
            )}
            {may.own && someAside && <Button onClick={() => setOpen("purge")}>Purge</Button>}
            <TextButton small onClick={() => setTicked([])}>
              none
            </TextButton>
          </>
        )}
      </Line>
      <Line sx={{ marginBottom: 8, alignItems: "center" }} role="search" aria-label="Which runs">
        <TextInput
          aria-label="In the names of builds, scenarios and rigs"
          placeholder="build, scenario or rig"
          value={filters.find}
          onChange={(e) => set("find", e.target.value)}
        />
        <OneOf
          label="Scenario"
          all="every scenario"
          value={filters.scenario}
          options={(scenarios.data ?? []).map((s) => [s.id, s.name])}
          onChoose={(id) => set("scenario", id)}
        />
        <OneOf
          label="Outcome"
          all="every outcome"
          value={filters.outcome}
          options={OUTCOMES.map((outcome) => [outcome, outcome])}
          onChoose={(outcome) => set("outcome", outcome)}
        />
        <OneOf
          label="Set aside"
          all="set aside or not"
          value={filters.aside}
          options={ASIDE}
          onChoose={(aside) => set("aside", aside)}
        />
        <Text as="span" small tone="faded">
          {count.toLocaleString("en-GB")} {count === 1 ? "run" : "runs"}
        </Text>
        {any && (
          <TextButton small onClick={clear}>
            all of them
          </TextButton>
        )}
      </Line>
      {runs.length === 0 ? (
        any ? (
          <Empty title="No run is like that">
            <p>Of all that is asked for above, no run has everything.</p>
          </Empty>
        ) : (
          <Empty title="No run is stored yet">
            <p>Runs arrive from a recorder, or from a spool that was kept:</p>
            <code>vigilant push SPOOL --server {window.location.origin}</code>
          </Empty>
        )
      ) : (
        // Widths of its own: were they those of the rows in view, rows would wrap anew as others came into view.
        <Table
          aria-label="Runs"
          aria-rowcount={count + 1}
          sx={{ tableLayout: { sm: "fixed" }, minWidth: { sm: 780 } }}
        >
          <TableHead>
            <TableRow>
              <Cell sx={{ width: 28 }}>
                <Unseen>Ticked</Unseen>
              </Cell>
              <SortCell by="started_at" width={142} first="desc" {...sort}>
                Recorded
              </SortCell>
              <SortCell by="build" {...sort}>
                Build
              </SortCell>
              <SortCell by="scenario" wide {...sort}>
                Scenario
              </SortCell>
              <SortCell by="rig" width={96} wide {...sort}>
                Rig
              </SortCell>
              <SortCell by="frames" width={70} align="right" wide {...sort}>
                Frames
              </SortCell>
              <SortCell by="seconds" width={74} align="right" wide {...sort}>
                Seconds
              </SortCell>
              <SortCell by="mean_ms" width={96} align="right" {...sort}>
                Mean ms
              </SortCell>
              <SortCell by="outcome" wide {...sort}>
                Outcome
              </SortCell>
            </TableRow>
          </TableHead>
          <TableBody ref={body}>
            <Room height={before} />
            {items.map(({ index }) => {
              const run = runs[index];
              return (
                run && (
                  <RunRow
                    key={run.id}
                    run={run}
                    index={index}
                    book={book}
                    chosen={index === chosen}
                    ticked={marked.has(run.id)}
                    onTick={onTick}
                    measure={measure}
                  />
                )
              );
            })}
            <Room height={after} />
          </TableBody>
        </Table>
      )}
      {pages.isFetchingNextPage && <Loading what="more runs" />}
      {open === "aside" && (
        <SetAside
          book={book}
          runs={ticked}
          aside={!someAside}
          close={() => setOpen("")}
          done={() => setTicked([])}
        />
      )}
      {open === "purge" && (
        <PurgeDialog
          title={ticked.length === 1 ? "Purge the run" : `Purge ${ticked.length} runs`}
          ask={(confirmed) => purge.mutateAsync({ runs: [...ticked], confirmed })}
          close={() => setOpen("")}
          done={() => {
            setTicked([]);
            setOpen("");
          }}
        />
      )}
    </>
  );
}
