import useMediaQuery from "@mui/material/useMediaQuery";
import { useMemo, useState } from "react";
import type { Figure } from "../api/client";
import { commonReach, IntervalStrip } from "../charts/IntervalStrip";
import { Explained } from "./Explained";

/** Shown beside the primaries before everything is asked for. */
const FIRST = ["p50_ms", "p95_ms", "p99_ms", "slowest_second_fps", "jitter_ms"];

function Row({
  figure,
  reach,
  judged,
  width,
  narrow,
}: {
  figure: Figure;
  reach: number;
  judged: boolean;
  width: number;
  narrow: boolean;
}) {
  const { words } = figure;
  const unit = words.unit === "a minute" ? "" : words.unit;
  const points = figure.unit === "share" ? "points" : "";
  return (
    <tr style={{ fontWeight: figure.primary ? 600 : 400 }}>
      <td className="name">
        <Explained definition={words.definition}>{words.label}</Explained>
      </td>
      <td className="right nowrap">
        {words.before} <span className="faded small">{unit}</span>
      </td>
      <td className="right nowrap">
        {words.after} <span className="faded small">{unit}</span>
      </td>
      <td className="right saved">{words.column === "saved" && words.difference}</td>
      <td className="right spent">{words.column === "spent" && words.difference}</td>
      <td className="wide-only">
        {figure.call === "none seen" ? (
          <span className="faded">none seen</span>
        ) : (
          <IntervalStrip
            strip={figure}
            higherIsBetter={figure.higher_is_better}
            reach={reach}
            width={width}
            said={`${words.label}: ${words.change} ${points}`.trim()}
          />
        )}
      </td>
      {!narrow && (
        <td className="right nowrap" style={{ fontWeight: 400 }}>
          {words.margin}
        </td>
      )}
      <td style={{ fontWeight: 400 }}>
        {judged ? figure.call : <span className="faded">not comparable</span>}
        {narrow && words.margin && <div className="small faded nowrap">margin {words.margin}</div>}
      </td>
    </tr>
  );
}

/** The figures, primaries first and bold: before, after, saved or spent, and the interval against the margin. */
interface Props {
  figures: Figure[];
  primaries: readonly string[];
  /** False where the runs are not comparable: numbers are shown, calls are not. */
  judged: boolean;
}

export function FigureLadder({ figures, primaries, judged }: Props) {
  const [all, setAll] = useState(false);
  const narrow = useMediaQuery("(max-width: 1120px)");
  const width = narrow ? 92 : 168;
  const byName = useMemo(() => new Map(figures.map((f) => [f.name, f])), [figures]);
  const first = [...primaries, ...FIRST.filter((n) => !primaries.includes(n))];
  const names = all ? [...first, ...figures.map((f) => f.name).filter((n) => !first.includes(n))] : first;
  const rows = names.flatMap((n) => byName.get(n) ?? []);
  const reach = commonReach(
    rows.filter((f) => f.primary).map((f) => ({ strip: f, higherIsBetter: f.higher_is_better })),
    8,
  );
  return (
    <div>
      <table className="ruled" aria-label="Figures">
        <thead>
          <tr>
            <th>Figure</th>
            <th className="right before">◇ Before</th>
            <th className="right after">◆ After</th>
            <th className="right">Saved</th>
            <th className="right">Spent</th>
            <th className="wide-only" style={{ width: width + 12 }}>
              ← saved, spent →
            </th>
            {!narrow && <th className="right">Margin</th>}
            <th>Call</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((figure) => (
            <Row
              key={figure.name}
              figure={figure}
              reach={reach}
              judged={judged}
              width={width}
              narrow={narrow}
            />
          ))}
        </tbody>
      </table>
      <p className="small faded" style={{ marginTop: 6 }}>
        Bold rows were chosen before recording and carry the verdict; the rest is exploratory. Every name
        explains itself on hover or focus. A change within its margin counts as none.{" "}
        <button type="button" className="plain-button" onClick={() => setAll(!all)}>
          {all ? "fewer figures" : "all figures"}
        </button>
      </p>
    </div>
  );
}
