/** The verdict as a stamp: a word in a ruled box with an outline of its own beside its colour. */
export const Stamp = ({ verdict, word, large }: { verdict: string; word: string; large?: boolean }) => (
  <span className={large ? "stamp large" : "stamp"} data-verdict={verdict}>
    {word}
  </span>
);
