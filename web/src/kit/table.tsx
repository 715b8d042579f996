import { styled } from "@mui/material/styles";
import TableCell, { type TableCellProps } from "@mui/material/TableCell";
import type { Tone } from "./text";

export { default as Table } from "@mui/material/Table";
export { default as TableBody } from "@mui/material/TableBody";
export { default as TableHead } from "@mui/material/TableHead";
export { default as TableRow } from "@mui/material/TableRow";

interface CellStyle {
  tone?: Tone | undefined;
  nowrap?: boolean;
  small?: boolean;
  strong?: boolean;
  /** Not on narrow screens. */
  wide?: boolean;
}
const OWN = ["tone", "nowrap", "small", "strong", "wide"];

/** A cell; amounts saved and spent stand in columns of their own, in their tone. */
export const Cell = styled(TableCell, {
  shouldForwardProp: (name) => !OWN.includes(name as string),
})<CellStyle>(({ theme, tone, nowrap, small, strong, wide }) => ({
  ...(tone && { color: (theme.vars ?? theme).palette[tone] }),
  ...((strong || tone === "saved" || tone === "spent") && { fontWeight: 600 }),
  ...(nowrap && { whiteSpace: "nowrap" }),
  ...(small && { fontSize: 12 }),
  ...(wide && { [theme.breakpoints.down("sm")]: { display: "none" } }),
})) as React.ComponentType<TableCellProps & CellStyle>;
