import { useParams } from "react-router";
import { useHunt } from "../../api/vary";
import { HuntChart } from "../../charts/HuntChart";
import { Word } from "../../figures/Word";
import { Sentence, Text } from "../../kit";
import { AccountPage } from "./AccountPage";

/** With which build a change begins: what was recorded between a good and a bad one, and how sure that is. */
export default function HuntPage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useHunt(id)}
      title="Hunt"
      figures={(found) => found.figures}
      head={(_, figure) => (
        <>
          <Word of="hunt">Hunt</Word>: {figure.builds.length} builds from {figure.builds[0]} to{" "}
          {figure.builds.at(-1)}, {figure.recorded.length} of them recorded in{" "}
          {figure.recorded.reduce((sum, r) => sum + r.runs.length, 0)} runs
        </>
      )}
      notes={(_, figure) => figure.notes}
    >
      {(_, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          {figure.next && <Text tone="faded">To be recorded next: {figure.next}.</Text>}
          <HuntChart
            found={figure}
            label={`${figure.name} of the builds that were recorded, in ms, and the chance of each that the change begins with it. ${figure.sentence}`}
          />
          <Text small tone="faded" sx={{ marginTop: 4 }}>
            The fuller a dot, the likelier its build lies after the step. The bracket holds 95 %.
          </Text>
        </>
      )}
    </AccountPage>
  );
}
