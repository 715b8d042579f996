import { styled } from "@mui/material/styles";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useState } from "react";
import { Link } from "react-router";
import { colour, Unseen } from "../kit";
import { useWidth } from "./useWidth";

/** The edges of what is drawn inside the axes, in px of the drawing. */
export interface Frame {
  left: number;
  right: number;
  top: number;
  bottom: number;
  width: number;
  height: number;
}

/** What can be read at one place: its words, and what it opens. */
export interface Mark {
  x: number;
  said: string;
  to?: string;
}

interface Props {
  /** What is drawn, in full. */
  label: string;
  height: number;
  margin: { left: number; right: number; top: number; bottom: number };
  /** From left to right. */
  marks?: (frame: Frame) => readonly Mark[];
  children: (frame: Frame) => ReactNode;
}

const Host = styled("div")({ position: "relative" });

const Readout = styled("div")({
  position: "absolute",
  top: 0,
  zIndex: 1,
  pointerEvents: "none",
  padding: "1px 7px",
  whiteSpace: "nowrap",
  background: colour.sheet,
  border: `1px solid ${colour.ink}`,
  borderRadius: 3,
  fontSize: 12.5,
  fontVariantNumeric: "tabular-nums",
});

const place = { position: "absolute", top: 0, display: "block" } as const;
const Opens = styled(Link)(place);
const Reads = styled("div")(place);

/** The mark nearest to a place; marks stand from left to right. */
function nearest(marks: readonly Mark[], x: number): number {
  let best = 0;
  for (const [i, mark] of marks.entries())
    if (Math.abs(mark.x - x) < Math.abs((marks[best] as Mark).x - x)) best = i;
  return best;
}

/**
 * A small drawing that can be read: by the pointer, or by Tab and then the arrows (Shift for tens, Home, End). Where a
 * mark opens something it is a link.
 */
export function Plot({ label, height, margin, marks: marksIn, children }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(800);
  const [at, setAt] = useState<number | null>(null);
  const [held, setHeld] = useState(false);
  const frame: Frame = {
    left: margin.left,
    right: Math.max(margin.left + 1, width - margin.right),
    top: margin.top,
    bottom: height - margin.bottom,
    width,
    height,
  };
  const marks = marksIn?.(frame) ?? [];
  const last = marks.length - 1;
  const chosen = at === null ? null : Math.min(at, last);
  // Tab comes to the newest.
  const mark = marks[chosen ?? last];
  const follow = (event: PointerEvent<HTMLElement>) => {
    if (marks.length === 0) return;
    setAt(nearest(marks, event.clientX - event.currentTarget.getBoundingClientRect().left));
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const now = chosen ?? last;
    const by = event.shiftKey ? 10 : 1;
    const to = { ArrowLeft: now - by, ArrowRight: now + by, Home: 0, End: last }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    setAt(Math.max(0, Math.min(last, to)));
  };
  const read = {
    onFocus: () => {
      setHeld(true);
      setAt(chosen ?? last);
    },
    onBlur: () => {
      setHeld(false);
      setAt(null);
    },
    onKeyDown: onKey,
    style: { left: (mark?.x ?? 0) - 12, width: 24, height },
  };
  return (
    <Host ref={ref} onPointerMove={follow} onPointerLeave={() => !held && setAt(null)}>
      <svg width={width} height={height} role="img" aria-label={label} display="block">
        {children(frame)}
        {chosen !== null && mark && (
          <path
            data-reading
            d={`M${mark.x} ${frame.top}V${frame.bottom}`}
            stroke={colour.ink}
            strokeDasharray="1 3"
          />
        )}
      </svg>
      {mark &&
        (mark.to ? (
          <Opens to={mark.to} aria-label={mark.said} {...read} />
        ) : (
          <Reads
            role="slider"
            tabIndex={0}
            aria-label={label}
            aria-valuemin={0}
            aria-valuemax={last}
            aria-valuenow={chosen ?? last}
            aria-valuetext={mark.said}
            {...read}
          />
        ))}
      {chosen !== null && mark && (
        <Readout style={{ left: mark.x, transform: `translateX(-${((100 * mark.x) / width).toFixed(1)}%)` }}>
          {mark.said}
        </Readout>
      )}
      {held && mark?.to && <Unseen aria-live="polite">{mark.said}</Unseen>}
    </Host>
  );
}
