import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useSetThinning, useThinning, useThinningDue } from "../../api/people";
import { moment } from "../../app/days";
import { Failure, Loading, Refused } from "../../app/states";
import { Asks, Box, Choice, Field, Fields, RuledList, Text } from "../../kit";

type Rule = Schemas["ThinningInRequest"];
const DAYS = [30, 90, 180, 365, 730, 1825];
const said = (days: number) =>
  days % 365 ? `${days} days` : days === 365 ? "a year" : `${days / 365} years`;

/** After how many days the frames of runs go that no entry rests on. */
export function Thinning({ book }: { book: string }) {
  const rule = useThinning(book);
  if (rule.error && !rule.data) return <Failure error={rule.error} again={() => rule.refetch()} />;
  if (rule.isPending) return <Loading what="for how long frames are kept" />;
  return <OfBook key={`${rule.data.aside_days} ${rule.data.old_days}`} book={book} kept={rule.data} />;
}

function OfBook({ book, kept }: { book: string; kept: Schemas["Thinning"] }) {
  const [rule, setRule] = useState<Rule>({ aside_days: kept.aside_days, old_days: kept.old_days });
  const change = useSetThinning(book);
  const other = rule.aside_days !== kept.aside_days || rule.old_days !== kept.old_days;
  const thins = rule.aside_days !== null || rule.old_days !== null;
  const due = useThinningDue(book, rule, thins);
  const one = (name: keyof Rule, label: string) => (
    <Field label={label}>
      <Choice
        value={rule[name] ?? ""}
        onChange={(e) => setRule({ ...rule, [name]: e.target.value ? Number(e.target.value) : null })}
      >
        <option value="">never</option>
        {[...new Set([...DAYS, ...(rule[name] ? [rule[name]] : [])])]
          .sort((a, b) => a - b)
          .map((days) => (
            <option key={days} value={days}>
              after {said(days)}
            </option>
          ))}
      </Choice>
    </Field>
  );
  return (
    <section>
      <h2>For how long frames are kept</h2>
      <Text tone="faded" size={13} sx={{ marginTop: 4, maxWidth: 720 }}>
        What an entry rests on is kept for ever, whatever becomes of the entry. Other runs keep their figures,
        conditions and stills when their frames go.{" "}
        {kept.thinned > 0 &&
          `${kept.thinned.toLocaleString("en-GB")} runs of the book hold their figures alone. `}
        {kept.applied_at && `The rule was last applied on ${moment(kept.applied_at)}.`}
      </Text>
      <Fields sx={{ marginTop: 10, maxWidth: 560 }}>
        {one("aside_days", "Frames of runs that were set aside go")}
        {one("old_days", "Frames of runs that no entry rests on go")}
      </Fields>
      {thins && due.data && <Goes due={due.data} />}
      <Refused error={due.error ?? change.error} />
      {other && (
        <Box sx={{ marginTop: 12 }}>
          <Asks
            label="Keep by this rule"
            question={thins ? "Let frames go by this rule?" : "Keep all frames from now on?"}
            said={
              thins
                ? "It is applied once a day, the first time within moments. Frames that went cannot be had back but from a backup."
                : "What has gone already stays gone."
            }
            yes={thins ? "Let them go" : "Keep them"}
            busy={change.isPending}
            onYes={() => change.mutate(rule)}
          />
        </Box>
      )}
    </section>
  );
}

/** What the chosen rule would take now. */
function Goes({ due }: { due: Schemas["Due"] }) {
  if (due.runs === 0) {
    return (
      <Text role="status" sx={{ marginTop: 8 }}>
        As the book is now, nothing would go.
      </Text>
    );
  }
  const many = (count: number, one: string) =>
    `${count.toLocaleString("en-GB")} ${one}${count === 1 ? "" : "s"}`;
  return (
    <>
      <Text role="status" sx={{ marginTop: 8 }}>
        As the book is now, {many(due.frames, "frame")} of {many(due.runs, "run")} would go,{" "}
        {(due.stored_bytes / 2 ** 20).toFixed(1)} MiB. Lost with them:
      </Text>
      <RuledList aria-label="What is lost" sx={{ maxWidth: 720, fontSize: 13 }}>
        {due.loses.map((lost) => (
          <li key={lost}>{lost}</li>
        ))}
      </RuledList>
    </>
  );
}
