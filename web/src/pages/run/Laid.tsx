import type { Run } from "../../api/client";
import { useEntry } from "../../api/queries";
import { Choice, Line, Text, Tick } from "../../kit";

interface Props {
  book: string;
  run: Run;
  under: string;
  lanes: readonly string[];
  counter: string | null;
  onUnder: (run: string) => void;
  onLanes: (lanes: readonly string[]) => void;
  onCounter: (counter: string) => void;
}

/** What is drawn beside the frames: lanes and a counter of one's choice, and another run under this one. */
export function Laid({ book, run, under, lanes, counter, onUnder, onLanes, onCounter }: Props) {
  const used = run.used_in[0];
  const entry = useEntry(book, used?.entry ?? 0, used !== undefined).data;
  const others = (entry?.dots ?? []).filter((d) => d.counted && d.run !== run.id);
  if (others.length === 0 && run.lanes.length === 0 && run.counters.length === 0) return null;
  return (
    <Line sx={{ fontSize: 13, alignItems: "center" }} role="group" aria-label="Beside the frames">
      {others.length > 0 && (
        <Choice aria-label="Another run under it" value={under} onChange={(e) => onUnder(e.target.value)}>
          <option value="">no run under it</option>
          {others.map((d) => (
            <option key={d.run} value={d.run}>
              run {d.position + 1}, {d.arm}, under it
            </option>
          ))}
          {under && !others.some((d) => d.run === under) && (
            <option value={under}>another run under it</option>
          )}
        </Choice>
      )}
      {run.lanes.map((lane) => (
        <Tick
          key={lane.name}
          label={lane.name}
          checked={lanes.includes(lane.name)}
          onChange={(e) =>
            onLanes(
              run.lanes
                .map((l) => l.name)
                .filter((name) => (name === lane.name ? e.target.checked : lanes.includes(name))),
            )
          }
        />
      ))}
      {run.counters.length > 0 && (
        <Choice aria-label="Counter" value={counter ?? ""} onChange={(e) => onCounter(e.target.value)}>
          <option value="">no counter</option>
          {run.counters.map((name) => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </Choice>
      )}
      {under && (
        <Text as="span" small tone="before">
          dashed: the other run, by the time since its start
        </Text>
      )}
    </Line>
  );
}
