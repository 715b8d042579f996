import LinearProgress from "@mui/material/LinearProgress";
import { useEffect, useState } from "react";
import { Pile, Text } from "../../kit";

const WORDS = [
  "guessed at once",
  "guessed easily",
  "guessed with patience",
  "hard to guess",
  "very hard to guess",
];

/** How hard what is typed would be to guess; what judges it is fetched when somebody types. */
export function Strength({ of, known }: { of: string; known: string[] }) {
  const [score, setScore] = useState<number>();
  const words = known.join(" ");
  useEffect(() => {
    let over = false;
    if (of)
      import("./strength").then(
        ({ strengthOf }) => over || setScore(strengthOf(of, words.split(" "))),
        () => {}, // without it one sets a password all the same
      );
    return () => {
      over = true;
    };
  }, [of, words]);
  if (!of || score === undefined) return null;
  return (
    <Pile sx={{ gap: 4, marginTop: -6 }}>
      <LinearProgress variant="determinate" value={25 * Math.max(score, 0.2)} aria-hidden />
      <Text role="status" size={13} tone="faded">
        {WORDS[score]}
      </Text>
    </Pile>
  );
}
