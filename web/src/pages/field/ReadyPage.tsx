import { Link, useParams, useSearchParams } from "react-router";
import { useReady } from "../../api/field";
import { useTitle } from "../../app/head";
import { Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Choice,
  OneOf,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../kit";

const STATES = { ok: "ok", missing: "not tried", wrong: "wrong" } as const;

/** Is a build ready to be sent out? By what the team's own devices sent of it. */
export default function ReadyPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const query = useReady(book, search.get("build") ?? "", search.get("scenario") ?? "");
  const found = query.data;
  useTitle(found && `Ready to be sent out: ${found.build}`);
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="the checks" />;
  const choose = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  };
  return (
    <article>
      <PageTitle>Is {found.build} ready to be sent out?</PageTitle>
      <Text tone="faded" sx={{ fontSize: 13 }}>
        By {found.sessions} sessions of <Link to={`/${book}/field?own=1`}>the team's own devices</Link>; a
        file of uploads is looked through by <code>vigilant field-check</code>.
      </Text>
      <Box sx={{ display: "flex", gap: "6px 12px", flexWrap: "wrap", margin: "8px 0" }}>
        <Choice aria-label="Build" value={found.build} onChange={(e) => choose("build", e.target.value)}>
          {found.builds.map((name) => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </Choice>
        <OneOf
          label="Scenario"
          all="whatever places were played"
          value={found.scenario === null ? "" : String(found.scenario)}
          options={found.scenarios.map((s) => [s.id, `every leg of ${s.name}`] as const)}
          onChoose={(value) => choose("scenario", value)}
        />
      </Box>
      <Sentence>{found.sentence}</Sentence>
      <Wide aria-label="Checks">
        <Table aria-label="Checks">
          <TableHead>
            <TableRow>
              <Cell />
              <Cell>Asked</Cell>
              <Cell>Seen</Cell>
              <Cell>What to do</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {found.checks.map((check) => (
              <TableRow key={check.name}>
                <Cell nowrap strong={check.state !== "ok"} tone={check.state === "ok" ? "faded" : undefined}>
                  {STATES[check.state]}
                </Cell>
                <Cell>{check.asks}</Cell>
                <Cell>{check.seen}</Cell>
                <Cell>{check.remedy}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        {found.consent} What comes twice, shrinks or contradicts itself the server turns away by itself.
      </Text>
    </article>
  );
}
