import Button from "@mui/material/Button";
import { useState } from "react";
import { type FieldAsked, type Moves, useDecideTier, useMoves } from "../../api/field";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { ShareScale, ShareStrip } from "../../charts/ShareStrip";
import { Word } from "../../figures/Word";
import { Chosen, FormDialog, required, text, useSheet, Written } from "../../form";
import { Cell, PartTitle, Sentence, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";

type Row = Moves["rows"][number];
type Side = NonNullable<Row["down"]>;

function Decide({ book, build, row, close }: { book: string; build: string; row: Row; close: () => void }) {
  const decide = useDecideTier(book);
  const to = row.move === "down" ? row.level - 1 : row.move === "up" ? row.level + 1 : row.level;
  const sheet = useSheet({
    values: { to: String(to), why: "" },
    send: (said) =>
      decide.mutateAsync({
        build,
        sorted_as: row.id,
        level: row.level,
        to_level: Number(said.to),
        why: said.why,
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title={`${row.name}: its tier`} verb="Keep it so" close={close}>
      <Text tone="faded">Proposed: {row.move_said}.</Text>
      <Chosen of={sheet} name="to" label="It is put on">
        {row.down && <option value={row.level - 1}>{row.down.tier}, a tier down</option>}
        <option value={row.level}>{row.tier}, where it is</option>
        {row.up && <option value={row.level + 1}>{row.up.tier}, a tier up</option>}
      </Chosen>
      <Written of={sheet} name="why" label="Why" lines={2} rules={{ ...required, ...text(4000) }} />
    </FormDialog>
  );
}

interface ExpectedProps {
  side: Side | null;
  goal: number;
  /** Why nothing is expected. */
  none: string;
  /** What stands under it; its tier and what it rests on by itself. */
  under?: string | undefined;
}

/** What a step of tier is expected to do: the strip, its ends, and what it rests on. */
const Expected = ({ side, goal, none, under }: ExpectedProps) =>
  side ? (
    <>
      <ShareStrip
        share={side.share}
        low={side.low}
        high={side.high}
        goal={goal}
        width={150}
        hollow={side.basis === "extrapolated"}
        said={`${side.tier}: ${side.share_said} (${side.interval_said}), ${side.basis_said}`}
      />
      {side.share_said} ({side.interval_said})
      <Text as="div" small tone="faded">
        {under ?? `${side.tier}; ${side.basis_said}`}
      </Text>
    </>
  ) : (
    <Text as="span" tone="faded">
      {none}
    </Text>
  );

/** Every class at every tier: as it was seen there, or what is expected. */
function WhatIf({ page }: { page: Moves }) {
  if (page.rows.length === 0 || page.tiers.length < 2) return null;
  return (
    <>
      <PartTitle sx={{ marginTop: 18 }}>What if it were on another tier</PartTitle>
      <Wide aria-label="Every tier">
        <Table aria-label="Every tier">
          <TableHead>
            <TableRow>
              <Cell>Class</Cell>
              {page.tiers.map((tier) => (
                <Cell key={tier} sx={{ width: `${86 / page.tiers.length}%` }}>
                  {tier}
                  <ShareScale goal={page.goal} width={150} />
                </Cell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {page.rows.map((row) => (
              <TableRow key={row.id}>
                <Cell strong>{row.name}</Cell>
                {row.tiers.map((at) => (
                  <Cell key={at.level} sx={{ minWidth: 165 }}>
                    <Expected
                      side={at.expected}
                      goal={page.goal}
                      none={at.none}
                      under={
                        at.play_said ? `seen there, ${at.play_said} of its play` : at.expected?.basis_said
                      }
                    />
                  </Cell>
                ))}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </>
  );
}

/** One row a class: its tier, what a step is expected to do, and what is proposed and decided. */
export function MovesLeaf({ book, asked }: { book: string; asked: FieldAsked }) {
  const query = useMoves(book, asked);
  const [deciding, setDeciding] = useState<Row | null>(null);
  const may = useMay();
  const page = query.data;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the moves" />;
  const moving = page.rows.filter((row) => row.move === "down" || row.move === "up");
  return (
    <>
      <Sentence>
        {moving.length === 0
          ? "No class is to be moved to another tier."
          : `To be moved: ${moving.map((row) => `${row.name} ${row.move}`).join(", ")}.`}
      </Sentence>
      <Wide aria-label="Moves">
        <Table aria-label="Moves">
          <TableHead>
            <TableRow>
              <Cell>Class</Cell>
              <Cell>
                <Word of="tier">Tier today</Word>
                <ShareScale goal={page.goal} width={150} />
              </Cell>
              <Cell sx={{ minWidth: 160 }}>A step down</Cell>
              <Cell sx={{ minWidth: 160 }}>A step up</Cell>
              <Cell sx={{ minWidth: 170 }}>Proposed</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {page.rows.map((row) => (
              <TableRow key={row.id}>
                <Cell>
                  <b>{row.name}</b>
                  <Text as="div" small tone="faded">
                    {row.sessions.toLocaleString("en-GB")} sessions
                  </Text>
                </Cell>
                <Cell>
                  <ShareStrip
                    share={row.share}
                    low={row.low}
                    high={row.high}
                    goal={page.goal}
                    width={150}
                    said={`${row.tier}: ${row.share_said} (${row.interval_said})`}
                  />
                  {row.share_said} ({row.interval_said})
                  <Text as="div" small tone="faded">
                    {row.tier}; {row.play_said} of its play
                  </Text>
                </Cell>
                <Cell>
                  <Expected side={row.down} goal={page.goal} none={row.no_down} />
                </Cell>
                <Cell>
                  <Expected side={row.up} goal={page.goal} none={row.no_up} />
                </Cell>
                <Cell>
                  {row.move === "stay" || row.refused ? row.move_said : <b>{row.move_said}</b>}
                  {row.further && (
                    <Text as="div" small tone="faded">
                      {row.further}
                    </Text>
                  )}
                  {row.decided && (
                    <Text as="div" small tone="faded">
                      {row.decided.to_level === row.decided.level
                        ? "Left where it is"
                        : `Moved to level ${row.decided.to_level}`}{" "}
                      by {row.decided.by}, {day(row.decided.at)}: {row.decided.why}
                    </Text>
                  )}
                  {may.write && (
                    <div>
                      <Button
                        size="small"
                        onClick={() => setDeciding(row)}
                        aria-label={`Decide about ${row.name}`}
                      >
                        Decide
                      </Button>
                    </div>
                  )}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <WhatIf page={page} />
      {page.splits.map((said) => (
        <Text key={said} sx={{ marginTop: 6 }}>
          {said}.
        </Text>
      ))}
      {deciding && <Decide book={book} build={page.build} row={deciding} close={() => setDeciding(null)} />}
    </>
  );
}
