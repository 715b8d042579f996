import Slider from "@mui/material/Slider";
import { styled } from "@mui/material/styles";
import { type PointerEvent, useRef, useState } from "react";
import { type ComparedStill, differenceAddress, pictureAddress } from "../../api/stills";
import { Box, colour, Text } from "../../kit";

export const VIEWS = [
  ["side", "side by side"],
  ["divider", "one over the other"],
  ["difference", "the difference"],
] as const;
export type View = (typeof VIEWS)[number][0];

/** A part of a picture, in shares of it. */
export interface Frame {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Pictures lie on grey, so that nothing around them colours what is seen. */
const Ground = styled("div")({
  background: "#808080",
  padding: 8,
  position: "relative",
  touchAction: "none",
  userSelect: "none",
  "& img": { display: "block", width: "100%", height: "auto" },
});

const Pair = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "repeat(2, minmax(0, 1fr))",
  gap: 8,
  "& figure": { margin: 0 },
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

const Held = styled("div")({ position: "relative", cursor: "crosshair" });
const Part = styled("div")({
  position: "absolute",
  border: "1px dashed #fff",
  outline: "1px dashed #000",
  pointerEvents: "none",
});
const Over = styled("div")({
  position: "absolute",
  inset: 0,
  "& + span": {
    position: "absolute",
    top: 0,
    bottom: 0,
    width: 0,
    borderLeft: "2px solid #fff",
    outline: "1px solid #000",
  },
});

const percent = (share: number) => `${100 * share}%`;
const at = (frame: Frame) => ({
  left: percent(frame.left),
  top: percent(frame.top),
  width: percent(frame.width),
  height: percent(frame.height),
});

interface Props {
  book: string;
  number: number;
  still: ComparedStill;
  view: View;
  drawn: Frame | null;
  draw: (frame: Frame | null) => void;
}

/** Both pictures, side by side, under a divider, or what differs as ink on paper. */
export function Pictures({ book, number, still, view, drawn, draw }: Props) {
  const { before, after } = still.pair;
  const parts = [...still.masks, ...(drawn ? [drawn] : [])];
  const picture = (arm: "before" | "after") => {
    const run = still.pair[arm];
    return run ? (
      <img src={pictureAddress(run, still.name)} alt={`${still.name} ${arm}`} draggable={false} />
    ) : (
      <Text tone="faded">No run {arm} has it.</Text>
    );
  };
  if (view === "divider" && before && after)
    return <Divided before={picture("before")} after={picture("after")} />;
  if (view === "difference")
    return (
      <Ground>
        <img
          src={differenceAddress(book, number, still)}
          alt={`Where ${still.name} differs: darker is more`}
        />
      </Ground>
    );
  return (
    <Pair>
      {(["before", "after"] as const).map((arm) => (
        <figure key={arm} aria-label={arm}>
          <Ground>
            <Drawing draw={draw}>
              {picture(arm)}
              {parts.map((part) => (
                <Part key={`${part.left} ${part.top} ${part.width}`} style={at(part)} />
              ))}
            </Drawing>
          </Ground>
          <Text as="figcaption" tone={arm}>
            {arm}
          </Text>
        </figure>
      ))}
    </Pair>
  );
}

/** Drag over a picture to draw a part of it. */
function Drawing({ draw, children }: { draw: (frame: Frame | null) => void; children: React.ReactNode }) {
  const from = useRef<{ x: number; y: number } | null>(null);
  const place = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const within = (value: number) => Math.min(1, Math.max(0, value));
    return {
      x: within((event.clientX - box.left) / box.width),
      y: within((event.clientY - box.top) / box.height),
    };
  };
  return (
    <Held
      onPointerDown={(e) => {
        from.current = place(e);
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={(e) => {
        if (!from.current) return;
        const to = place(e);
        const [left, top] = [Math.min(from.current.x, to.x), Math.min(from.current.y, to.y)];
        const [width, height] = [Math.abs(from.current.x - to.x), Math.abs(from.current.y - to.y)];
        draw(width > 0.002 && height > 0.002 ? { left, top, width, height } : null);
      }}
      onPointerUp={() => {
        from.current = null;
      }}
    >
      {children}
    </Held>
  );
}

/** One picture over the other; the divider is moved on the picture, or by the keys of the slider under it. */
function Divided({ before, after }: { before: React.ReactNode; after: React.ReactNode }) {
  const [place, setPlace] = useState(50);
  const held = useRef(false);
  const move = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    setPlace(Math.round(Math.min(100, Math.max(0, (100 * (event.clientX - box.left)) / box.width))));
  };
  return (
    <div>
      <Ground>
        <Box
          sx={{ position: "relative", cursor: "ew-resize" }}
          onPointerDown={(e) => {
            held.current = true;
            e.currentTarget.setPointerCapture(e.pointerId);
            move(e);
          }}
          onPointerMove={(e) => held.current && move(e)}
          onPointerUp={() => {
            held.current = false;
          }}
        >
          {before}
          <Over style={{ clipPath: `inset(0 0 0 ${place}%)` }}>{after}</Over>
          <span style={{ left: `${place}%` }} />
        </Box>
      </Ground>
      <Box sx={{ display: "flex", gap: 14, alignItems: "center", marginTop: 4 }}>
        <Text tone="before">before</Text>
        <Slider
          aria-label="The divider"
          value={place}
          onChange={(_, value) => setPlace(value as number)}
          sx={{ color: colour.ink }}
          size="small"
        />
        <Text tone="after">after</Text>
      </Box>
    </div>
  );
}
