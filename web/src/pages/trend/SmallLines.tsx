import { Link } from "react-router";
import { useLines } from "../../api/trend";
import { SmallLine } from "../../charts/SmallLine";
import { Box, Text } from "../../kit";

interface Props {
  book: string;
  /** The scenario's key; nothing is drawn where it has no line. */
  scenario: number;
  /** Without what they say. */
  small?: boolean;
}

/** The lines over builds of one scenario, small: a rig each. */
export function SmallLines({ book, scenario, small }: Props) {
  const own = useLines(book, scenario).data?.lines ?? [];
  if (own.length === 0) return null;
  return (
    <section aria-label="Over builds">
      {!small && <h2>Over builds</h2>}
      {own.map((line) => (
        <Box
          key={`${line.rig_id} ${line.chain}`}
          sx={{ display: "flex", gap: 14, alignItems: "center", flexWrap: "wrap", margin: "4px 0" }}
        >
          <Link to={`/${book}/trend/${line.scenario.id}/${line.rig_id}?chain=${line.chain}`}>
            on {line.rig}
          </Link>
          <SmallLine label={line.sentence} points={line.small} {...(small && { width: 120 })} />
          {!small && (
            <Text as="span" small tone="faded" sx={{ flex: "1 1 240px" }}>
              {line.sentence}
            </Text>
          )}
        </Box>
      ))}
    </section>
  );
}
