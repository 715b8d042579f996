import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { useScenario } from "../../api/queries";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Facts,
  Halves,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleRow,
} from "../../kit";
import { Followed } from "./Followed";
import { Goals } from "./Goals";
import { Planner } from "./Planner";

/** A scenario: its course and what it is judged by, its goals, and how its versions came about. */
export default function ScenarioPage() {
  const { book = "", id = "" } = useParams();
  const navigate = useNavigate();
  const query = useScenario(book, Number(id));
  useTitle(query.data?.name);
  const [copied, setCopied] = useState("");
  const scenario = query.data;
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!scenario) return <Loading what="the scenario" />;
  const [newest, ...older] = scenario.versions;
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(scenario.plan_text);
      setCopied("plan file copied");
    } catch {
      setCopied("the browser refused to copy");
    }
  };
  return (
    <article>
      <TitleRow sx={{ marginBottom: 10 }}>
        <div>
          <PageTitle>{scenario.name}</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            version {scenario.version}, {scenario.runs} runs in all
          </Text>
        </div>
        <Box sx={{ display: "flex", gap: 8, alignItems: "center" }}>
          <Text role="status" as="span" small tone="faded">
            {copied}
          </Text>
          <Button onClick={copy}>Copy as plan file</Button>
          <Button onClick={() => navigate(`/${book}/scenarios/write?of=${scenario.id}`)}>
            {newest?.runs ? "Write a new version" : "Change it"}
          </Button>
          <Button
            variant="contained"
            onClick={() => navigate(`/${book}/bench/plan?scenario=${encodeURIComponent(scenario.name)}`)}
          >
            Plan a recording
          </Button>
        </Box>
      </TitleRow>
      <Halves>
        <section>
          <h2>Course and judgement</h2>
          <Facts sx={{ marginTop: 6 }}>
            {newest?.rows.map((row) => (
              <Box key={row.key} sx={{ display: "contents" }}>
                <dt>{row.label}</dt>
                <dd>{row.value}</dd>
              </Box>
            ))}
          </Facts>
        </section>
        <Goals book={book} scenario={scenario.id} />
      </Halves>
      <Followed book={book} scenario={scenario} />
      <Planner book={book} scenario={scenario.id} name={scenario.name} />
      <Box component="section" sx={{ marginTop: 18 }}>
        <h2>Versions</h2>
        <Table aria-label="Versions">
          <TableHead>
            <TableRow>
              <Cell align="right" sx={{ width: 70 }}>
                Version
              </Cell>
              <Cell sx={{ width: 170 }}>Written</Cell>
              <Cell align="right" sx={{ width: 70 }}>
                Runs
              </Cell>
              <Cell>What it changed</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {[newest, ...older].map(
              (version) =>
                version && (
                  <TableRow key={version.number}>
                    <Cell align="right">{version.number}</Cell>
                    <Cell nowrap>{day(version.created_at)}</Cell>
                    <Cell align="right">{version.runs}</Cell>
                    <Cell>
                      {version.changed.length === 0
                        ? "the first"
                        : version.changed.map((d) => (
                            <div key={d.key}>
                              {d.label}:{" "}
                              <Text as="s" tone="faded">
                                {d.before}
                              </Text>{" "}
                              {d.after}
                            </div>
                          ))}
                    </Cell>
                  </TableRow>
                ),
            )}
          </TableBody>
        </Table>
      </Box>
    </article>
  );
}
