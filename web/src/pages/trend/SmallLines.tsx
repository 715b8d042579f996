import { Link } from "react-router";
import { useLines } from "../../api/trend";
import { SmallLine } from "../../charts/SmallLine";
import { Box, Text } from "../../kit";

interface Props {
  book: string;
  /** Of a scenario by its key, or by its name; nothing where it has no line. */
  of: { id?: number; name?: string };
  /** Without what they say. */
  small?: boolean;
}

/** The lines over builds of one scenario, small: a rig each. */
export function SmallLines({ book, of, small }: Props) {
  const found = useLines(book).data;
  const own = (found?.lines ?? []).filter((l) => l.scenario.id === of.id || l.scenario.name === of.name);
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
