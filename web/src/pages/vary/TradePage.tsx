import { useParams } from "react-router";
import { useTrade } from "../../api/vary";
import { LevelChart } from "../../charts/LevelChart";
import { TradeChart } from "../../charts/TradeChart";
import { Word } from "../../figures/Word";
import { Box, Sentence, Text } from "../../kit";
import { AccountPage } from "./AccountPage";

/** Few rich against many simple: what the budget carries at each richness, whether richness has a price, and the ramps it was read from. */
export default function TradePage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useTrade(id)}
      title="Few rich or many simple"
      figures={(found) => found.figures}
      head={(found, figure) => (
        <>
          <Word of="trade">A load at several richnesses</Word>: {found.unit} at {figure.arms.length} values of{" "}
          {found.richness},{" "}
          {figure.arms
            .flatMap((arm) => [...arm.points, ...arm.held])
            .reduce((sum, point) => sum + point.runs.length, 0)}{" "}
          runs
        </>
      )}
      notes={(_, figure) => figure.arms.flatMap((arm) => arm.notes.map((note) => `${arm.name}: ${note}`))}
    >
      {(found, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          <p>{figure.factor}</p>
          <TradeChart
            label={`${found.unit} that the budget carries over ${found.richness}. ${figure.sentence}`}
            points={figure.arms}
            unit={found.unit}
            richness={found.richness}
          />
          <Text small tone="faded" sx={{ marginTop: 4 }}>
            {figure.note}
          </Text>
          <Box component="section" sx={{ marginTop: 18 }}>
            <h2>
              The ramps
              <Text as="span" tone="faded" aside>
                {figure.name}
              </Text>
            </h2>
            <LevelChart
              label={`${figure.name} over ${found.unit} at each of ${found.richness}, in ms, against the budget.`}
              arms={figure.arms.map(({ name, points, held, band }) => ({ name, levels: points, held, band }))}
              name={found.unit}
              budget={figure.budget_ms}
            />
          </Box>
        </>
      )}
    </AccountPage>
  );
}
