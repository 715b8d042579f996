import { Fragment } from "react";
import { Link } from "react-router";
import type { Standing } from "../../api/client";
import { Text } from "../../kit";

/** What waits for an answer: of entries, of builds that left their line, of scenarios that should have been recorded again. */
export function OpenQuestions({ book, standing }: { book: string; standing: Standing }) {
  const asked = [
    ...(standing.questions ? [{ key: "entries", said: standing.questions }] : []),
    ...standing.alarms.map((a) => ({
      key: `alarm ${a.id}`,
      said: (
        <Link to={`/${book}/trend/${a.scenario.id}/${a.rig_id}`}>
          {a.sentence.replace(/\.$/, "")} on {a.rig}
        </Link>
      ),
    })),
    ...standing.rechecks.map((r) => ({
      key: `again ${r.scenario.id}`,
      said: (
        <>
          <Link to={`/${book}/scenarios/${r.scenario.id}`}>{r.scenario.name}</Link> is {r.short}
        </>
      ),
    })),
  ];
  return (
    <Text as="span" tone="faded" sx={{ fontSize: 13, flex: "1 1 420px" }}>
      {asked.map((one, i) => (
        <Fragment key={one.key}>
          {i > 0 && "; "}
          {one.said}
        </Fragment>
      ))}
    </Text>
  );
}
