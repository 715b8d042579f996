import { styled } from "@mui/material/styles";
import useMediaQuery from "@mui/material/useMediaQuery";
import { Link, useNavigate } from "react-router";
import { useKeys } from "../../app/keys";
import { Choice, colour, Text } from "../../kit";
import { serif } from "../../kit/theme";

/** What stands behind a verdict, by its address; the verdict itself comes first. */
export const LEAVES = [
  ["", "Verdict"],
  ["spread", "Spread"],
  ["course", "Course"],
  ["stutters", "Stutters"],
  ["work", "Work"],
  ["stills", "Stills"],
  ["watch", "Watch"],
  ["runs", "Runs"],
  ["method", "Method"],
] as const;
export type Leaf = (typeof LEAVES)[number][0];

export const isLeaf = (name: string): name is Leaf => LEAVES.some(([leaf]) => leaf === name);

const Row = styled("nav")({
  display: "flex",
  gap: 24,
  alignItems: "baseline",
  borderBottom: `1px solid ${colour.rule}`,
  margin: "4px 0 14px",
  "& a": {
    font: `400 16px / 1.3 ${serif}`,
    textDecoration: "none",
    padding: "2px 0 4px",
    color: colour.faded,
  },
  "& a:hover": { color: colour.ink },
  // The open one stands over a double rule, as a total does.
  "& a[aria-current]": {
    color: colour.ink,
    fontWeight: 600,
    borderBottom: `3px double ${colour.ink}`,
    marginBottom: -2,
  },
});

/** What a leaf found, over its drawing. */
export const LeafSentence = styled("p")({ font: `400 17px / 1.4 ${serif}`, margin: 0, maxWidth: 1000 });

/** The row of leaves; on a narrow screen a chooser. Full stop and comma turn them. */
export function LeafRow({ at, open }: { at: string; open: Leaf }) {
  const navigate = useNavigate();
  const narrow = useMediaQuery("(max-width: 600px)");
  const address = (leaf: Leaf) => (leaf ? `${at}/${leaf}` : at);
  const turn = (by: number) => {
    // Where one is by the address: keys come quicker than pages are drawn.
    const next = LEAVES[LEAVES.findIndex(([leaf]) => address(leaf) === window.location.pathname) + by];
    if (next) navigate(address(next[0]), { preventScrollReset: true });
  };
  useKeys({ ".": () => turn(1), ",": () => turn(-1) });
  if (narrow)
    return (
      <Choice
        aria-label="Leaf"
        value={open}
        sx={{ marginBottom: 12 }}
        onChange={(e) => navigate(address(e.target.value as Leaf), { preventScrollReset: true })}
      >
        {LEAVES.map(([leaf, name]) => (
          <option key={leaf} value={leaf}>
            {name}
          </option>
        ))}
      </Choice>
    );
  return (
    <Row aria-label="Leaves of the entry">
      {LEAVES.map(([leaf, name]) => (
        <Link
          key={leaf}
          to={address(leaf)}
          preventScrollReset
          {...(leaf === open && { "aria-current": "page" as const })}
        >
          {name}
        </Link>
      ))}
      <Text as="span" small tone="faded" wide sx={{ marginLeft: "auto" }}>
        turn with , and .
      </Text>
    </Row>
  );
}
