import type { Schemas } from "../../api/client";
import { useFollow } from "../../api/trend";
import { amount, FormDialog, required, useSheet, Written } from "../../form";

interface Props {
  book: string;
  scenario: { id: number; name: string };
  following: Schemas["Following"];
  close: () => void;
}

/** How closely a scenario is followed over builds. */
export function FollowForm({ book, scenario, following, close }: Props) {
  const follow = useFollow(book, scenario.id);
  const sheet = useSheet({
    values: {
      false_alarm_in: String(following.false_alarm_in),
      recheck_days: following.recheck_days === null ? "" : String(following.recheck_days),
    },
    send: ({ false_alarm_in, recheck_days }) =>
      follow.mutateAsync({
        false_alarm_in: Number(false_alarm_in),
        recheck_days: recheck_days.trim() === "" ? null : Number(recheck_days),
      }),
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={`How closely is ${scenario.name} followed?`}
      verb="Follow it so"
      close={close}
    >
      <Written
        of={sheet}
        name="false_alarm_in"
        label="One false alarm in so many builds of a line"
        inputMode="numeric"
        rules={{ ...required, ...amount({ least: 50, most: 1000, whole: true }) }}
        hint="From 50 to 1,000: the more seldom a false alarm, the larger a change has to be to be one."
      />
      <Written
        of={sheet}
        name="recheck_days"
        label="Record it again every so many days"
        inputMode="numeric"
        rules={amount({ least: 1, most: 3650, whole: true })}
        hint="Left empty it is never overdue."
      />
    </FormDialog>
  );
}
