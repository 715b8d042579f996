import { styled } from "@mui/material/styles";
import useMediaQuery from "@mui/material/useMediaQuery";
import { Link, useNavigate } from "react-router";
import { Choice, colour, Text } from "../kit";
import { serif } from "../kit/theme";
import { useKeys } from "./keys";

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

interface Props<L extends string> {
  /** Leaves by their address under `at`; the first has none of its own. */
  leaves: readonly (readonly [L, string])[];
  at: string;
  open: L;
  label: string;
  /** What stands behind every address, with its question mark. */
  search?: string;
}

/** The row of leaves; on a narrow screen a chooser. Full stop and comma turn them. */
export function LeafRow<L extends string>({ leaves, at, open, label, search = "" }: Props<L>) {
  const navigate = useNavigate();
  const narrow = useMediaQuery("(max-width: 600px)");
  const address = (leaf: L) => (leaf ? `${at}/${leaf}` : at);
  const turn = (by: number) => {
    // Where one is by the address: keys come quicker than pages are drawn.
    const next = leaves[leaves.findIndex(([leaf]) => address(leaf) === window.location.pathname) + by];
    if (next) navigate(address(next[0]) + search, { preventScrollReset: true });
  };
  useKeys({ ".": () => turn(1), ",": () => turn(-1) });
  if (narrow)
    return (
      <Choice
        aria-label="Leaf"
        value={open}
        sx={{ marginBottom: 12 }}
        onChange={(e) => navigate(address(e.target.value as L) + search, { preventScrollReset: true })}
      >
        {leaves.map(([leaf, name]) => (
          <option key={leaf} value={leaf}>
            {name}
          </option>
        ))}
      </Choice>
    );
  return (
    <Row aria-label={label}>
      {leaves.map(([leaf, name]) => (
        <Link
          key={leaf}
          to={address(leaf) + search}
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
