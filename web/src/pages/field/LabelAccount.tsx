import type { Schemas } from "../../api/client";
import { Word } from "../../figures/Word";
import { Cell, colour, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";

type Account = Schemas["LabelAccount"];

/** One bar of all late frames: a part for each exact set of labels, darker the more labels it has; what has none is hatched. */
function Bar({ parts }: { parts: Account["parts"] }) {
  const width = 560;
  let at = 0;
  const drawn = parts.map((part) => {
    const start = at;
    at += part.late * width;
    return { ...part, start, width: part.late * width };
  });
  return (
    <svg
      viewBox={`0 0 ${width} 16`}
      width="100%"
      height={16}
      preserveAspectRatio="none"
      role="img"
      aria-label={`Late frames: ${parts.map((p) => `${p.name} ${p.late_said}`).join(", ")}`}
      display="block"
    >
      <defs>
        <pattern
          id="no-label"
          width="5"
          height="5"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <path d="M0 0v5" stroke={colour.faded} />
        </pattern>
      </defs>
      {drawn.map((part) => (
        <rect
          key={part.name}
          x={part.start}
          width={Math.max(0, part.width - 1)}
          y={0.5}
          height={15}
          fill={part.labels === 0 ? "url(#no-label)" : colour.ink}
          fillOpacity={part.labels === 0 ? 1 : Math.min(0.85, 0.3 * part.labels)}
          stroke={colour.rule}
        >
          <title>{`${part.name}: ${part.late_said} of late frames`}</title>
        </rect>
      ))}
    </svg>
  );
}

/** What labels go with lateness: parts that close to all of it, and each label held against the same without it. */
export const LabelAccount = ({ of }: { of: Account }) => (
  <section>
    <h2>
      <Word of="label">Labels</Word> that lateness goes with
    </h2>
    <Bar parts={of.parts} />
    <Wide aria-label="Late frames by their labels">
      <Table aria-label="Late frames by their labels">
        <TableHead>
          <TableRow>
            <Cell>Seconds with</Cell>
            <Cell align="right">Of late frames</Cell>
            <Cell align="right">Of play</Cell>
            <Cell align="right">Late share</Cell>
            <Cell align="right">Beyond unlabelled play</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {of.parts.map((part) => (
            <TableRow key={part.name}>
              <Cell>{part.name}</Cell>
              <Cell align="right" nowrap>
                {part.late_said}
              </Cell>
              <Cell align="right" nowrap>
                {part.play_said}
              </Cell>
              <Cell align="right" nowrap>
                {part.share_said}
              </Cell>
              <Cell align="right" nowrap>
                {part.excess_said}
              </Cell>
            </TableRow>
          ))}
          <TableRow>
            <Cell sx={{ borderTop: `3px double ${colour.ink}` }}>all</Cell>
            <Cell align="right" nowrap sx={{ borderTop: `3px double ${colour.ink}` }}>
              100 %
            </Cell>
            <Cell align="right" nowrap sx={{ borderTop: `3px double ${colour.ink}` }}>
              100 %
            </Cell>
            <Cell colSpan={2} sx={{ borderTop: `3px double ${colour.ink}` }} />
          </TableRow>
        </TableBody>
      </Table>
    </Wide>
    {of.labels.map((label) => (
      <Text key={label.name} sx={{ marginTop: 4 }}>
        <b>{label.name}</b> {label.said}.
      </Text>
    ))}
  </section>
);
