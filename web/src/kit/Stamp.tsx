import { styled } from "@mui/material/styles";
import { colour } from "./palette";

const Box = styled("span", { shouldForwardProp: (name) => !["large", "as", "sx"].includes(name as string) })<{
  large?: boolean | undefined;
}>(({ large }) => ({
  display: "inline-block",
  padding: large ? "5px 18px" : "1px 7px",
  letterSpacing: "0.04em",
  border: `${large ? 2 : 1}px solid currentColor`,
  borderRadius: 2,
  whiteSpace: "nowrap",
  fontSize: large ? 20 : 12.5,
  lineHeight: 1.35,
  '&[data-verdict="gain"]': { color: colour.saved },
  '&[data-verdict="regression"]': { color: colour.spent, borderStyle: "double", borderWidth: large ? 4 : 3 },
  '&[data-verdict="trade-off"]': { color: colour.trade, borderStyle: "dashed" },
  '&[data-verdict="no material change"]': { color: colour.faded },
  '&[data-verdict="undecided"]': { borderStyle: "dotted", borderWidth: large ? 2 : 1.5 },
  '&[data-verdict="void"], &[data-struck]': {
    color: colour.faded,
    textDecoration: "line-through",
    borderColor: colour.rule,
  },
}));

interface Props {
  verdict: string;
  word: string;
  large?: boolean;
  /** It was withdrawn. */
  struck?: boolean;
}

/** The verdict as a stamp: a word in a ruled box with an outline of its own beside its colour. */
export const Stamp = ({ verdict, word, large, struck }: Props) => (
  <Box large={large} data-verdict={verdict} {...(struck && { "data-struck": "" })}>
    {word}
  </Box>
);
