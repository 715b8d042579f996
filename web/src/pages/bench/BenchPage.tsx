import Button from "@mui/material/Button";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useRecordings, useStandbys } from "../../api/bench";
import { moment } from "../../app/days";
import { useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Choice,
  Line,
  LinkRow,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleLink,
  TitleRow,
} from "../../kit";
import { KINDS } from "./kinds";

/** Recordings planned, under way and done, and the recorders that stand by. */
export default function BenchPage() {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const lines = search.get("of") === "line";
  const recordings = useRecordings(book, lines ? ["line"] : ["entry", "account"]);
  const standbys = useStandbys(book);
  useTitle("Bench");
  const plan = () => navigate(`/${book}/bench/plan`);
  useKeys({ n: plan });
  if (recordings.error && !recordings.data)
    return <Failure error={recordings.error} again={() => recordings.refetch()} />;
  if (recordings.isPending) return <Loading what="the bench" />;
  const rows = recordings.data.results;
  return (
    <>
      <TitleRow sx={{ marginBottom: 8 }}>
        <div>
          <PageTitle>Bench</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {standbys.data?.length
              ? `Standing by: ${standbys.data.map((s) => s.name).join(", ")}.`
              : "No recorder stands by. Start one with vigilant standby, or copy a plan's command."}{" "}
            <Link to={`/${book}/bench/rigs`}>All rigs</Link>
          </Text>
        </div>
        <Box sx={{ display: "flex", gap: 8, flexWrap: "wrap" }}>
          <Choice
            aria-label="Plan something else"
            value=""
            onChange={(e) => navigate(`/${book}/bench/plan?what=${e.target.value}`)}
          >
            <option value="">plan something else …</option>
            {Object.entries(KINDS).map(
              ([kind, { choice }]) =>
                choice && (
                  <option key={kind} value={kind}>
                    {choice}
                  </option>
                ),
            )}
          </Choice>
          <Button variant="contained" onClick={plan}>
            Plan a recording
          </Button>
        </Box>
      </TitleRow>
      <Line sx={{ marginBottom: 6 }}>
        <Choice
          aria-label="What for"
          value={lines ? "line" : ""}
          onChange={(e) => setSearch(e.target.value ? { of: e.target.value } : {}, { replace: true })}
        >
          <option value="">for entries and accounts</option>
          <option value="line">builds for their line</option>
        </Choice>
        <Text as="span" small tone="faded">
          {recordings.data.count > rows.length
            ? `the newest ${rows.length} of ${recordings.data.count.toLocaleString("en-GB")} recordings`
            : `${rows.length} ${rows.length === 1 ? "recording" : "recordings"}`}
        </Text>
      </Line>
      {rows.length === 0 ? (
        <Empty title="Nothing was recorded yet">
          <p>Plan a recording: which scenario, which two builds, and how many runs each.</p>
        </Empty>
      ) : (
        <Table aria-label="Recordings">
          <TableHead>
            <TableRow>
              <Cell>Entry</Cell>
              <Cell>Title</Cell>
              <Cell wide>Scenario</Cell>
              <Cell wide>Rig</Cell>
              <Cell wide>Planned or begun</Cell>
              <Cell>State</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((r) => (
              <LinkRow key={r.id} to={`/${book}/bench/${r.id}`}>
                <Cell>
                  {r.account && ["recording", "finished"].includes(r.state) ? (
                    <Link to={`/${book}/${r.account}/${r.id}`}>
                      {r.account === "line" ? "line" : "account"}
                    </Link>
                  ) : (
                    r.entry
                  )}
                </Cell>
                <Cell>
                  <TitleLink to={`/${book}/bench/${r.id}`}>{r.title}</TitleLink>
                </Cell>
                <Cell wide>
                  {r.scenario} {r.version}
                </Cell>
                <Cell wide>{r.rig}</Cell>
                <Cell wide nowrap>
                  {moment(r.created_at)}
                </Cell>
                <Cell>
                  {r.state === "refused"
                    ? "not recorded"
                    : r.control === "pause" && r.state === "recording"
                      ? "paused"
                      : r.state}
                </Cell>
              </LinkRow>
            ))}
          </TableBody>
        </Table>
      )}
    </>
  );
}
