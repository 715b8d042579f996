import { usePlanner } from "../../api/queries";
import { Text } from "../../kit";

interface Props {
  book: string;
  scenario: number;
  runs: number;
  /** The recorder it is asked of. */
  rig: string;
}

/** What change so many runs would show, from the runs of this scenario so far. */
export function Visible({ book, scenario, runs, rig }: Props) {
  const seen = usePlanner(book, scenario, {}).data;
  if (!seen) return null;
  const found = seen.find((one) => one.rig === rig) ?? seen[0];
  if (!found || found.rows.length === 0)
    return (
      <Text tone="faded" size={13}>
        Nothing was compared with this scenario yet, so what change it would show is not known: a blank test
        says it.
      </Text>
    );
  // Of the counts that are worked out, the largest that is reached.
  const counts = found.rows[0]?.runs ?? [];
  const at = counts.findLastIndex((count) => count <= runs);
  if (at < 0)
    return (
      <Text tone="faded" size={13}>
        So few runs show only very large changes; {counts[0]} an arm are the least that is worked out.
      </Text>
    );
  return (
    <Text size={13}>
      {counts[at]} runs an arm on {found.rig} would show a change of{" "}
      {found.rows.map((row, i) => (
        <span key={row.figure}>
          {i > 0 && (i === found.rows.length - 1 ? " or " : ", ")}
          <b>{row.visible[at]}</b> in {row.label.charAt(0).toLowerCase() + row.label.slice(1)}
        </span>
      ))}
      , in four of five recordings.
    </Text>
  );
}
