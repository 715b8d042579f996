import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { type Alarm, useEntryOfAlarm, useExplainAlarm } from "../../api/trend";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { Box, colour, Text } from "../../kit";

const Question = styled("div")({
  borderLeft: `3px double ${colour.ink}`,
  padding: "2px 0 2px 12px",
  margin: "8px 0",
});

function ExplainForm({ alarm, close }: { alarm: Alarm; close: () => void }) {
  const { book = "" } = useParams();
  const explain = useExplainAlarm(book);
  const sheet = useSheet({
    values: { why: "" },
    send: ({ why }) => explain.mutateAsync({ alarm: alarm.id, why }),
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={`What happened with ${alarm.build}?`}
      verb="Close the question"
      close={close}
    >
      <Text tone="faded">{alarm.sentence} Its level is then what later builds are held against.</Text>
      <Written
        of={sheet}
        name="why"
        label="What was found out"
        lines={3}
        rules={{ ...required, ...text(4000) }}
      />
    </FormDialog>
  );
}

/** A build that left its line: what is asked of whom, until it is explained. */
export function OpenAlarm({ alarm, named }: { alarm: Alarm; named?: boolean }) {
  const { book = "" } = useParams();
  const [explaining, setExplaining] = useState(false);
  const enter = useEntryOfAlarm(book);
  const may = useMay();
  return (
    <Question role="group" aria-label={`Open question: ${alarm.build} on ${alarm.rig}`}>
      <Box sx={{ display: "flex", gap: "6px 14px", alignItems: "baseline", flexWrap: "wrap" }}>
        <Text as="span">
          {named && (
            <>
              <Link to={`/${book}/trend/${alarm.scenario.id}/${alarm.rig_id}`}>
                {alarm.scenario.name} on {alarm.rig}
              </Link>
              {": "}
            </>
          )}
          <b>{alarm.sentence}</b> {alarm.stands}
        </Text>
        {alarm.entry !== null && <Link to={`/${book}/entries/${alarm.entry}`}>entry {alarm.entry}</Link>}
        {may.write && alarm.like && (
          <Link to={`/${book}/bench/plan?like=${alarm.like}`}>record {alarm.build} again</Link>
        )}
        {may.write && (
          <Box component="span" sx={{ display: "inline-flex", gap: 8, marginLeft: "auto" }}>
            {alarm.entry === null && (
              <Button size="small" disabled={enter.isPending} onClick={() => enter.mutate(alarm.id)}>
                Open an entry
              </Button>
            )}
            <Button size="small" onClick={() => setExplaining(true)}>
              Explain
            </Button>
          </Box>
        )}
      </Box>
      {enter.error && (
        <Text role="alert" tone="spent">
          {enter.error.message}
        </Text>
      )}
      {explaining && <ExplainForm alarm={alarm} close={() => setExplaining(false)} />}
    </Question>
  );
}

/** What became of an alarm that is no question any more. */
export function ClosedAlarm({ alarm }: { alarm: Alarm }) {
  const { book = "" } = useParams();
  return (
    <Text as="li" sx={{ margin: "3px 0" }}>
      {alarm.sentence}{" "}
      <Text as="span" tone="faded">
        {day(alarm.raised_at)}.{" "}
        {alarm.why ? `Explained${alarm.by && ` by ${alarm.by}`}: ${alarm.why}` : alarm.stands}
      </Text>
      {alarm.entry !== null && (
        <>
          {" "}
          <Link to={`/${book}/entries/${alarm.entry}`}>entry {alarm.entry}</Link>
        </>
      )}
    </Text>
  );
}
