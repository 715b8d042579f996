import { styled } from "@mui/material/styles";
import TableRow, { type TableRowProps } from "@mui/material/TableRow";
import type { MouseEvent } from "react";
import { Link, useNavigate } from "react-router";

/** What a row is about: the link that the whole row follows. */
export const TitleLink = styled(Link)({
  textDecoration: "none",
  fontWeight: 600,
  "&:hover": { textDecoration: "underline" },
});

/** A row that opens what it names; what can be pressed inside it keeps its own meaning. */
export function LinkRow({ to, ...row }: TableRowProps & { to: string }) {
  const navigate = useNavigate();
  const open = (event: MouseEvent<HTMLElement>) => {
    if ((event.target as HTMLElement).closest("a, button, input, label, select")) return;
    if (event.ctrlKey || event.metaKey) window.open(to);
    else navigate(to);
  };
  return <TableRow data-link onClick={open} {...row} />;
}
