import { Link, useParams } from "react-router";
import { useLines } from "../../api/trend";
import { useTitle } from "../../app/head";
import { Empty, Failure, Loading } from "../../app/states";
import { SmallLine } from "../../charts/SmallLine";
import {
  Cell,
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
import { OpenAlarm } from "./Alarms";

/** Every line of the book, and what waits for an answer. */
export default function TrendPage() {
  const { book = "" } = useParams();
  const query = useLines(book);
  useTitle("Trend");
  const found = query.data;
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="the lines" />;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>Trend</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {found.builds.toLocaleString("en-GB")} builds have a place in{" "}
            <Link to={`/${book}/trend/order`}>the order of builds</Link>.
          </Text>
        </div>
      </TitleRow>
      {found.alarms.map((alarm) => (
        <OpenAlarm key={alarm.id} alarm={alarm} named />
      ))}
      {found.rechecks
        .filter((r) => r.overdue)
        .map((r) => (
          <Text key={r.scenario.id} sx={{ margin: "6px 0" }}>
            <Link to={`/${book}/scenarios/${r.scenario.id}`}>{r.scenario.name}</Link>: {r.sentence}
          </Text>
        ))}
      {found.lines.length === 0 ? (
        <Empty title="No line yet">
          <p>
            Give builds their order, and record each under its name: the line over them then shows what
            changed when, and whether the newest one is worse.
          </p>
          <code>vigilant order --builds-from "git rev-list --reverse --abbrev-commit HEAD"</code>
          <br />
          <code>vigilant record line.toml --build "$(git rev-parse --short HEAD)" --line</code>
        </Empty>
      ) : (
        <Table aria-label="Lines" sx={{ marginTop: 8 }}>
          <TableHead>
            <TableRow>
              <Cell sx={{ minWidth: 170 }}>Scenario and rig</Cell>
              <Cell align="right">Builds</Cell>
              <Cell>Newest</Cell>
              <Cell wide>Over the builds</Cell>
              <Cell wide>What it says</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {found.lines.map((line) => {
              const to = `/${book}/trend/${line.scenario.id}/${line.rig_id}?chain=${line.chain}`;
              return (
                <LinkRow key={to} to={to}>
                  <Cell>
                    <TitleLink to={to}>{line.scenario.name}</TitleLink>
                    <Text as="div" small tone="faded">
                      on {line.rig}
                    </Text>
                  </Cell>
                  <Cell align="right">{line.builds}</Cell>
                  <Cell nowrap>
                    {line.newest}
                    <Text as="div" small tone="faded">
                      {line.figure} {line.level}
                    </Text>
                  </Cell>
                  <Cell wide>
                    <SmallLine label={line.sentence} points={line.small} />
                  </Cell>
                  <Cell wide>{line.sentence}</Cell>
                </LinkRow>
              );
            })}
          </TableBody>
        </Table>
      )}
    </article>
  );
}
