import { scaleLinear } from "@visx/scale";
import { useRef, useState } from "react";
import { useParams } from "react-router";
import type { HuntFigure } from "../api/vary";
import { useKeys } from "../app/keys";
import { Box, colour, SvgText } from "../kit";
import { type Scale, thinned, ValueAxis } from "./axes";
import { ChartTools, TableBehind } from "./copy";
import { type Frame, Plot } from "./Plot";
import type { ChartTable } from "./table";

const MARGIN = { left: 44, right: 20, top: 22, bottom: 116 };
/** The strip of chances stands under the builds' levels. */
const STRIP = { below: 14, height: 52 };

const tableOf = (found: HuntFigure): ChartTable => ({
  head: ["build", "begins here", "ms", "runs"],
  rows: found.builds.map((build, i) => {
    const recorded = found.recorded.find((r) => r.place === i);
    return [
      build,
      found.chances[i] ?? null,
      recorded?.ms ?? null,
      recorded?.runs.map((r) => r.ms.toFixed(3)).join(" ") ?? null,
    ];
  }),
});

interface Drawn {
  found: HuntFigure;
  at: (place: number) => number;
  frame: Frame;
}

/** Each build that was recorded: its runs, and its mean; left of the step hollow, right of it solid, as likely as each is. */
function Recorded({ found, at, y }: Drawn & { y: Scale }) {
  return (
    <>
      {found.recorded.map((r) => (
        <g key={r.place}>
          {r.runs.map((run) => (
            <circle
              key={run.run}
              cx={at(r.place)}
              cy={y(run.ms)}
              r={2.2}
              fill={colour.faded}
              fillOpacity={0.6}
            />
          ))}
          <circle
            cx={at(r.place)}
            cy={y(r.ms)}
            r={4.5}
            fill={colour.sheet}
            stroke={colour.ink}
            strokeWidth={1.4}
          />
          <circle cx={at(r.place)} cy={y(r.ms)} r={4.5} fill={colour.ink} fillOpacity={r.after} />
        </g>
      ))}
    </>
  );
}

/** The chance of every build that the step begins with it, and a bracket over those that hold 95 %. */
function Strip({ found, at, frame, half }: Drawn & { half: number }) {
  const top = frame.bottom + STRIP.below;
  const foot = top + STRIP.height;
  const most = Math.max(...found.chances, 1e-9);
  return (
    <>
      <path d={`M${at(0) - half} ${foot}H${at(found.builds.length - 1) + half}`} stroke={colour.ink} />
      {found.chances.map((chance, i) => {
        const height = (STRIP.height * chance) / most;
        return (
          height > 0.4 && (
            <rect
              key={found.builds[i]}
              x={at(i) - half * 0.86}
              width={half * 1.72}
              y={foot - height}
              height={height}
              fill={colour.ink}
              fillOpacity={i >= found.first && i <= found.last ? 0.85 : 0.35}
            />
          )
        );
      })}
      {found.first > 0 && (
        <path
          d={`M${at(found.first) - half} ${foot + 9}v-5H${at(found.last) + half}v5`}
          fill="none"
          stroke={colour.ink}
          strokeWidth={1.5}
        />
      )}
      <SvgText x={frame.left} y={top + 9}>
        where it begins: {most > 0.999 ? "over 99.9" : (100 * most).toFixed(1)} % at the highest
      </SvgText>
    </>
  );
}

/** What was recorded of the builds between a good and a bad one, and how likely the change begins with each. */
export function HuntChart({ found, label }: { found: HuntFigure; label: string }) {
  const { book = "" } = useParams();
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const values = found.recorded.flatMap((r) => r.runs.map((run) => run.ms));
  const across = (frame: { left: number; right: number }) =>
    scaleLinear<number>({ domain: [-0.5, found.builds.length - 0.5], range: [frame.left, frame.right] });
  const longest = Math.max(...found.builds.map((b) => b.length));
  return (
    <>
      <Box ref={drawing} sx={{ marginTop: 6 }}>
        <Plot
          label={label}
          height={380}
          margin={MARGIN}
          marks={(frame) =>
            found.builds.map((build, i) => {
              const recorded = found.recorded.find((r) => r.place === i);
              const chance = `${(100 * (found.chances[i] ?? 0)).toFixed(1)} % that it begins here`;
              return {
                x: across(frame)(i),
                said: `${build}: ${recorded ? `${recorded.ms.toFixed(2)} ms over ${recorded.runs.length} runs, ` : ""}${chance}`,
                ...(recorded?.runs[0] && { to: `/${book}/runs/${recorded.runs[0].run}` }),
              };
            })
          }
        >
          {(frame) => {
            const x = across(frame);
            const y: Scale = scaleLinear<number>({
              domain: [Math.min(...values) * 0.995, Math.max(...values) * 1.005],
              range: [frame.bottom, frame.top],
              nice: 4,
            });
            const drawn: Drawn = { found, at: (place) => x(place), frame };
            const named = thinned(
              found.builds.map((build, i) => ({ build, i })),
              frame.right - frame.left,
              16 + 7 * longest,
            );
            return (
              <>
                <ValueAxis y={y} frame={frame} unit="ms" />
                <Recorded {...drawn} y={y} />
                <Strip {...drawn} half={(x(1) - x(0)) / 2} />
                {named.map(({ build, i }) => (
                  <SvgText
                    key={build}
                    x={Math.min(x(i), frame.width - 3.6 * build.length)}
                    y={frame.height - 22}
                    textAnchor="middle"
                  >
                    {build}
                  </SvgText>
                ))}
                <SvgText x={frame.right} y={frame.height - 4} textAnchor="end">
                  from the good build to the bad one
                </SvgText>
              </>
            );
          }}
        </Plot>
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools
          table={() => tableOf(found)}
          drawing={drawing}
          shown={behind}
          toggle={() => setBehind(!behind)}
        />
      </Box>
      {behind && <TableBehind table={tableOf(found)} />}
    </>
  );
}
