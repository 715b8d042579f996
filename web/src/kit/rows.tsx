import TableSortLabel from "@mui/material/TableSortLabel";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState, useSyncExternalStore } from "react";
import { flushSync } from "react-dom";
import { Cell } from "./table";

/** What scrolls: the page's own part of the window. */
export const scroller = () => document.getElementById("page");

let printing = false;
const onPrint = (changed: () => void) => {
  const turn = (now: boolean) => () => {
    printing = now;
    flushSync(changed);
  };
  const [before, after] = [turn(true), turn(false)];
  window.addEventListener("beforeprint", before);
  window.addEventListener("afterprint", after);
  return () => {
    window.removeEventListener("beforeprint", before);
    window.removeEventListener("afterprint", after);
  };
};

interface More {
  has: boolean;
  busy: boolean;
  fetch: () => void;
}

/** The rows of a long table that are in view, with the room of those that are not; more are fetched before the end. */
export function useRows(count: number, height: number, more: More) {
  const body = useRef<HTMLTableSectionElement>(null);
  const [margin, setMargin] = useState(0);
  useLayoutEffect(() => {
    const host = scroller();
    if (body.current && host)
      setMargin(
        Math.round(
          body.current.getBoundingClientRect().top - host.getBoundingClientRect().top + host.scrollTop,
        ),
      );
  });
  // Paper has no view to scroll: every row that was fetched is drawn.
  const all = useSyncExternalStore(onPrint, () => printing);
  const rows = useVirtualizer({
    count,
    getScrollElement: scroller,
    estimateSize: () => height,
    overscan: all ? count : 5,
    scrollMargin: margin,
  });
  const items = rows.getVirtualItems();
  const last = items.at(-1);
  const near = last !== undefined && last.index >= count - 30;
  const { has, busy, fetch } = more;
  useEffect(() => {
    if (near && has && !busy && !all) fetch();
  }, [near, has, busy, all, fetch]);
  return {
    body,
    items,
    before: items[0] ? items[0].start - margin : 0,
    after: last ? rows.getTotalSize() - (last.end - margin) : 0,
    measure: rows.measureElement,
    show: (index: number) => rows.scrollToIndex(index, { align: "auto" }),
  };
}

/** The room of rows that are out of view. */
export const Room = ({ height }: { height: number }) =>
  height > 0 && (
    <tr aria-hidden style={{ height }}>
      <td />
    </tr>
  );

interface Sorted {
  /** What the server sorts by; with "-" in front the largest or latest first. */
  by: string;
  ordering: string;
  onOrder: (ordering: string) => void;
  /** Which way round it is first asked for. */
  first?: "asc" | "desc";
  align?: "left" | "right";
  wide?: boolean;
  /** In px, where the table does not let its rows decide. */
  width?: number;
  children: ReactNode;
}

/** A column's head that orders the whole list, not the page of it. */
export function SortCell({ by, ordering, onOrder, first = "asc", width, children, ...cell }: Sorted) {
  const way = ordering === by ? "asc" : ordering === `-${by}` ? "desc" : undefined;
  const next = way === undefined ? first : way === "asc" ? "desc" : "asc";
  return (
    <Cell {...cell} {...(width && { sx: { width } })} sortDirection={way ?? false}>
      <TableSortLabel
        active={way !== undefined}
        direction={way ?? first}
        onClick={() => onOrder(next === "asc" ? by : `-${by}`)}
      >
        {children}
      </TableSortLabel>
    </Cell>
  );
}
