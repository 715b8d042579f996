import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { useEffect, useState } from "react";
import { type ComparedStill, pictureAddress } from "../../api/stills";
import { Box, colour, Text } from "../../kit";

/** How quickly pictures are turned, if somebody asks for it. */
const TURN_MS = 160;

interface Props {
  pictures: ComparedStill[];
  at: number;
  turn: (to: number) => void;
}

/** Turns the pictures of a sequence: by the slider, or one after the other at an even pace. */
export function Turner({ pictures, at, turn }: Props) {
  const [turning, setTurning] = useState(false);
  const count = pictures.length;
  useEffect(() => {
    // Fetched ahead, so that none comes late.
    for (const { pair, name } of pictures)
      for (const run of [pair.before, pair.after]) if (run) new Image().src = pictureAddress(run, name);
  }, [pictures]);
  useEffect(() => {
    if (!turning) return;
    const timer = window.setTimeout(() => turn((at + 1) % count), TURN_MS);
    return () => window.clearTimeout(timer);
  }, [turning, at, count, turn]);
  return (
    <Box sx={{ display: "flex", gap: 14, alignItems: "center", marginTop: 6 }}>
      <Button sx={{ flexShrink: 0 }} onClick={() => setTurning(!turning)}>
        {turning ? "Hold" : "Turn them"}
      </Button>
      <Slider
        aria-label="Picture of the sequence"
        value={at + 1}
        min={1}
        max={count}
        step={1}
        marks={pictures.flatMap(({ state }, k) => (state === "changed" ? [{ value: k + 1 }] : []))}
        onChange={(_, value) => {
          setTurning(false);
          turn((value as number) - 1);
        }}
        sx={{ color: colour.ink }}
        size="small"
      />
      <Text tone="faded" sx={{ whiteSpace: "nowrap" }}>
        {at + 1} of {count}
      </Text>
    </Box>
  );
}
