import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { type Rule, useDropRule, useRules } from "../../api/rules";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Cell,
  Line,
  OneOf,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Wide,
} from "../../kit";
import { RuleForm, TestForm } from "./RuleForms";

const STATES = ["true here", "not here", "never tested"] as const;

function Tests({ book, rule }: { book: string; rule: Rule }) {
  if (rule.tests.length === 0) return null;
  return rule.tests.map((test) => (
    <Text
      as="div"
      key={test.id}
      small={test.id !== rule.test?.id}
      {...(!test.stands && { tone: "faded" as const })}
    >
      <Link to={`/${book}${test.path}`}>{test.what}</Link>
      {test.rig && ` on ${test.rig}`}
      {test.note && `: ${test.note}`}
      <Text as="span" small tone="faded">
        {" "}
        {test.holds ? "True" : "Not so"}, says {test.by}, {day(test.tested_at)}
        {!test.stands && "; the entry was withdrawn, so that it tells nothing any more"}.
      </Text>
    </Text>
  ));
}

/** Rules of thumb, each with where it is from and whether it holds here. */
export default function RulesPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const query = useRules(book);
  const drop = useDropRule(book);
  const may = useMay();
  const [writing, setWriting] = useState(false);
  const [testing, setTesting] = useState<Rule | null>(null);
  useTitle("Rules of thumb");
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const rules = query.data;
  if (!rules) return <Loading what="the rules" />;
  const state = search.get("state") ?? "";
  const shown = rules.filter((rule) => !state || rule.state === state);
  const count = (of: string) => rules.filter((rule) => rule.state === of).length;
  return (
    <article>
      <Line>
        <PageTitle>Rules of thumb</PageTitle>
        <OneOf
          label="State"
          all={`all ${rules.length}`}
          value={state}
          options={STATES.map((s) => [s, `${s} (${count(s)})`])}
          onChoose={(to) => {
            if (to) search.set("state", to);
            else search.delete("state");
            setSearch(search, { replace: true });
          }}
        />
        {may.write && <Button onClick={() => setWriting(true)}>Another rule</Button>}
      </Line>
      <Text tone="faded" size={13} sx={{ margin: "6px 0 10px" }}>
        What is believed, from where, and whether it holds on this program and these rigs. A rule that was
        never tested here is a rumour: a ramp or an entry says whether it is more.
      </Text>
      {shown.length === 0 ? (
        <Empty title={rules.length ? "No rule is like that" : "No rule is written down"}>
          <p>
            Write down what everybody knows, with the day and the machine it was found on, and hold it against
            what you record.
          </p>
        </Empty>
      ) : (
        <Wide aria-label="Rules">
          <Table aria-label="Rules">
            <TableHead>
              <TableRow>
                <Cell>Rule</Cell>
                <Cell>Found</Cell>
                <Cell nowrap>Here</Cell>
                <Cell>Tested by</Cell>
                <Cell />
              </TableRow>
            </TableHead>
            <TableBody>
              {shown.map((rule) => (
                <TableRow key={rule.id}>
                  <Cell sx={{ width: "30%" }}>
                    <b>{rule.text}</b>
                    <Text as="div" small tone="faded">
                      {rule.reason}
                    </Text>
                  </Cell>
                  <Cell nowrap tone="faded">
                    {rule.said_on}
                    <Text as="div" small>
                      {rule.rig && `on ${rule.rig}`}
                    </Text>
                  </Cell>
                  <Cell nowrap strong={rule.state !== "never tested"}>
                    {rule.state}
                  </Cell>
                  <Cell>
                    <Tests book={book} rule={rule} />
                  </Cell>
                  <Cell nowrap>
                    {may.write && (
                      <Line>
                        <TextButton small aria-label={`Test: ${rule.text}`} onClick={() => setTesting(rule)}>
                          test it
                        </TextButton>
                        <TextButton
                          small
                          faded
                          aria-label={`Drop: ${rule.text}`}
                          disabled={drop.isPending}
                          onClick={() => drop.mutate(rule.id)}
                        >
                          drop
                        </TextButton>
                      </Line>
                    )}
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      {drop.error && (
        <Text role="alert" tone="spent">
          {drop.error.message}
        </Text>
      )}
      {writing && <RuleForm book={book} close={() => setWriting(false)} />}
      {testing && <TestForm book={book} rule={testing} close={() => setTesting(null)} />}
    </article>
  );
}
