import { styled } from "@mui/material/styles";
import { Link, useLocation, useSearchParams } from "react-router";
import { colour } from "../../../kit";
import { BudgetSplit } from "./BudgetSplit";
import { Counters } from "./Counters";
import { IfFree } from "./IfFree";
import { LateFrames } from "./LateFrames";
import { PartPage } from "./PartPage";
import { WhatNext } from "./WhatNext";
import { WorkFrames } from "./WorkFrames";

const VIEWS = [
  ["", "all frames"],
  ["late", "late frames"],
  ["free", "if it were free"],
  ["budget", "budget split"],
  ["counters", "counters"],
  ["next", "what next"],
] as const;

const Row = styled("nav")({
  display: "flex",
  gap: 18,
  flexWrap: "wrap",
  marginBottom: 10,
  fontSize: 13.5,
  "& a[aria-current]": {
    textDecoration: "none",
    fontWeight: 600,
    borderLeft: `3px solid ${colour.ink}`,
    paddingLeft: 6,
  },
});

/** Where the time goes: of all frames, of those that are late, and of frames without a part. */
export function WorkLeaf({ book, number, credited }: { book: string; number: number; credited: boolean }) {
  const [search] = useSearchParams();
  const { pathname } = useLocation();
  const see = search.get("see") ?? "";
  return (
    <>
      <Row aria-label="Views of the work">
        {VIEWS.map(([view, name]) => (
          <Link
            key={view}
            to={view ? `${pathname}?see=${view}` : pathname}
            preventScrollReset
            {...(view === see && { "aria-current": "page" as const })}
          >
            {name}
          </Link>
        ))}
      </Row>
      {see === "late" ? (
        <LateFrames book={book} number={number} credited={credited} />
      ) : see === "free" ? (
        <IfFree book={book} number={number} />
      ) : see === "next" ? (
        <WhatNext book={book} number={number} />
      ) : see === "budget" ? (
        <BudgetSplit book={book} number={number} />
      ) : see === "counters" ? (
        <Counters book={book} number={number} />
      ) : see === "part" ? (
        <PartPage book={book} number={number} />
      ) : (
        <WorkFrames book={book} number={number} credited={credited} />
      )}
    </>
  );
}
