import { styled } from "@mui/material/styles";
import type { ReactNode } from "react";
import { colour } from "./palette";

export { default as Box } from "@mui/material/Box";

const line = `1px solid ${colour.rule}`;

/** A title with what stands beside it. */
export const TitleRow = styled("div")(({ theme }) => ({
  display: "flex",
  gap: 20,
  alignItems: "flex-start",
  justifyContent: "space-between",
  [theme.breakpoints.down("sm")]: { flexWrap: "wrap", gap: 8 },
}));

/** Words and verbs in one line, on their baseline. */
export const Line = styled("div")({
  display: "flex",
  gap: "2px 14px",
  alignItems: "baseline",
  flexWrap: "wrap",
});

/** The page's matter, and a margin beside it. */
export const Columns = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) 264px",
  gap: 26,
  [theme.breakpoints.down("md")]: { gridTemplateColumns: "minmax(0, 1fr) 222px", gap: 18 },
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)", gap: 14 },
}));

/** Matter under each other. */
export const Pile = styled("div")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr)",
  gap: 16,
  alignContent: "start",
  minWidth: 0,
});

export const Halves = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1.2fr)",
  gap: 30,
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

/** Fields in as many columns as there is room for. */
export const Fields = styled("div")({
  display: "grid",
  gridTemplateColumns: "repeat(auto-fill, minmax(220px, 1fr))",
  gap: "14px 22px",
  maxWidth: 980,
});

export const SheetForm = styled("form")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr)",
  gap: 18,
  "& .MuiTable-root": { maxWidth: 980 },
  "& .MuiTable-root .MuiInputBase-root": { minWidth: 70, maxWidth: "100%" },
});

export const InlineForm = styled("form")({ display: "flex", gap: 8, flexWrap: "wrap", alignItems: "center" });

/** Keys and values. */
export const Facts = styled("dl")({
  display: "grid",
  gridTemplateColumns: "auto 1fr",
  gap: "1px 12px",
  margin: 0,
  fontSize: 13,
  "& dt": { color: colour.faded },
  "& dd": { margin: 0, overflowWrap: "anywhere" },
});

/** A list whose items are ruled off. */
export const RuledList = styled("ul")({
  listStyle: "none",
  margin: 0,
  padding: 0,
  fontSize: 13,
  "& > li": { borderBottom: line, padding: "6px 0" },
});

const command = {
  display: "block",
  font: "12.5px / 1.5 ui-monospace, monospace",
  background: colour.paper,
  border: line,
  padding: "6px 9px",
  overflowX: "auto",
  maxWidth: "100%",
} as const;

/** A command to copy. */
export const Command = styled("code")(command);

/** A word to the reader in place of matter. */
export const Note = styled("div")({
  marginTop: 12,
  border: `1px dashed ${colour.rule}`,
  padding: 18,
  display: "grid",
  gap: 8,
  justifyItems: "start",
  "& > code": command,
});

/** A box with something written in it. */
export const Framed = styled("div")({
  border: line,
  padding: "9px 11px",
  overflowWrap: "anywhere",
  fontSize: 13,
});

// Positioned, so that what is for the ear alone is cut off with the rest.
const Scrolled = styled("section")({ position: "relative", overflowX: "auto" });
const Tall = styled(Scrolled)({ maxHeight: 260, overflow: "auto", border: line, marginTop: 6 });

interface Region {
  "aria-label": string;
  children: ReactNode;
}

/** A wide table scrolls in its own frame, by the arrow keys too. */
export const Wide = (region: Region) => <Scrolled tabIndex={0} {...region} />;

/** The table of what a drawing shows. */
export const TableFrame = (region: Region) => <Tall tabIndex={0} {...region} />;

export const RunColumns = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1.35fr) minmax(0, 1fr)",
  gap: 28,
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)", gap: 14 },
}));

/** Verbs over a drawing. */
export const Tools = styled("span")(({ theme }) => ({
  display: "flex",
  gap: 14,
  marginLeft: "auto",
  whiteSpace: "nowrap",
  fontSize: 12,
  color: colour.faded,
  [theme.breakpoints.down("sm")]: { display: "none" },
}));
