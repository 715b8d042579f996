import Button from "@mui/material/Button";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useRuns } from "../../api/queries";
import { moment } from "../../app/days";
import { useTitle } from "../../app/head";
import { useKept } from "../../app/kept";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  LinkRow,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Tick,
  TitleLink,
  Unseen,
} from "../../kit";

/** Every run of the book, newest first. */
export function RunsPage() {
  const { book = "" } = useParams();
  const pages = useRuns(book);
  useTitle("Runs");
  const navigate = useNavigate();
  const [chosen, setChosen] = useKept("row", -1);
  const [ticked, setTicked] = useKept<readonly string[]>("ticks", []);
  // Arms chosen before this one come along in the address.
  const [search] = useSearchParams();
  const others = search.getAll("arm").length;
  const take = () => {
    const next = new URLSearchParams(search);
    next.append("arm", ticked.join("~"));
    navigate(`/${book}/arms?${next.toString()}`);
  };
  const runs = pages.data?.pages.flatMap((p) => p.results) ?? [];
  const open = (id: string | undefined) => id && navigate(`/${book}/runs/${id}`);
  useKeys({
    j: () => setChosen((at) => Math.min(at + 1, runs.length - 1)),
    k: () => setChosen((at) => Math.max(at - 1, 0)),
    Enter: () => open(runs[chosen]?.id),
  });
  if (pages.error && !pages.data) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (pages.isPending) return <Loading what="the runs" />;
  return (
    <>
      <Box sx={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap", marginBottom: 8 }}>
        <PageTitle>Runs</PageTitle>
        <Text as="span" tone="faded" role="status">
          {ticked.length > 0
            ? `${ticked.length} ticked`
            : others > 0
              ? `Tick the runs of arm ${others + 1}.`
              : "Tick runs to make an arm of them."}
        </Text>
        {ticked.length > 0 && <Button onClick={take}>Make an arm of them</Button>}
      </Box>
      {runs.length === 0 ? (
        <Empty title="No run is stored yet">
          <p>Runs arrive from a recorder, or from a spool that was kept:</p>
          <code>vigilant push SPOOL --server {window.location.origin}</code>
        </Empty>
      ) : (
        <Table aria-label="Runs">
          <TableHead>
            <TableRow>
              <Cell sx={{ width: 28 }}>
                <Unseen>Ticked</Unseen>
              </Cell>
              <Cell>Recorded</Cell>
              <Cell>Build</Cell>
              <Cell wide>Scenario</Cell>
              <Cell wide>Rig</Cell>
              <Cell align="right">Frames</Cell>
              <Cell align="right">Seconds</Cell>
              <Cell align="right">Mean ms</Cell>
              <Cell>Outcome</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {runs.map((run, i) => (
              <LinkRow key={run.id} to={`/${book}/runs/${run.id}`} selected={i === chosen}>
                <Cell>
                  <Tick
                    aria-label={`Take the run of ${run.started_at ? moment(run.started_at) : ""}, ${run.build}`}
                    disabled={run.state !== "complete" || run.outcome !== "complete"}
                    checked={ticked.includes(run.id)}
                    onChange={(e) =>
                      setTicked(e.target.checked ? [...ticked, run.id] : ticked.filter((id) => id !== run.id))
                    }
                  />
                </Cell>
                <Cell nowrap>
                  <TitleLink to={`/${book}/runs/${run.id}`}>
                    {run.started_at && moment(run.started_at)}
                  </TitleLink>
                </Cell>
                <Cell>{run.build}</Cell>
                <Cell wide>
                  {run.scenario} {run.version}
                </Cell>
                <Cell wide>{run.rig}</Cell>
                <Cell align="right">{(run.frames ?? 0).toLocaleString("en-GB")}</Cell>
                <Cell align="right">{(run.seconds ?? 0).toFixed(1)}</Cell>
                <Cell align="right">{run.mean_ms?.toFixed(2)}</Cell>
                <Cell>
                  {run.outcome}
                  {run.detail && (
                    <Text as="span" tone="faded">
                      {" "}
                      ({run.detail})
                    </Text>
                  )}
                </Cell>
              </LinkRow>
            ))}
          </TableBody>
        </Table>
      )}
      {pages.hasNextPage && (
        <TextButton sx={{ marginTop: 8 }} onClick={() => pages.fetchNextPage()}>
          more runs
        </TextButton>
      )}
    </>
  );
}
