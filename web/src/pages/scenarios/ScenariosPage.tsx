import Button from "@mui/material/Button";
import { useNavigate, useParams } from "react-router";
import { useScenarios } from "../../api/queries";
import { useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Cell,
  LinkRow,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  TitleLink,
  TitleRow,
} from "../../kit";

/** The courses of the book, each by its newest version. */
export default function ScenariosPage() {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const scenarios = useScenarios(book);
  useTitle("Scenarios");
  const write = () => navigate(`/${book}/scenarios/write`);
  useKeys({ n: write });
  if (scenarios.error && !scenarios.data)
    return <Failure error={scenarios.error} again={() => scenarios.refetch()} />;
  if (scenarios.isPending) return <Loading what="the scenarios" />;
  return (
    <>
      <TitleRow sx={{ marginBottom: 8 }}>
        <PageTitle>Scenarios</PageTitle>
        <Button variant="contained" onClick={write}>
          Write a scenario
        </Button>
      </TitleRow>
      {scenarios.data.length === 0 ? (
        <Empty title="No scenario is fixed yet">
          <p>
            A scenario is the same course every time: its legs, its seed, its length, and what it is judged
            by.
          </p>
        </Empty>
      ) : (
        <Table aria-label="Scenarios">
          <TableHead>
            <TableRow>
              <Cell>Scenario</Cell>
              <Cell align="right">Version</Cell>
              <Cell align="right">Target fps</Cell>
              <Cell align="right">Seconds a run</Cell>
              <Cell align="right">Runs</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {scenarios.data.map((s) => (
              <LinkRow key={s.id} to={`/${book}/scenarios/${s.id}`}>
                <Cell>
                  <TitleLink to={`/${book}/scenarios/${s.id}`}>{s.name}</TitleLink>
                </Cell>
                <Cell align="right">{s.version}</Cell>
                <Cell align="right">{s.target_fps}</Cell>
                <Cell align="right">{String(s.definition.duration_s ?? 120)}</Cell>
                <Cell align="right">{s.runs}</Cell>
              </LinkRow>
            ))}
          </TableBody>
        </Table>
      )}
    </>
  );
}
