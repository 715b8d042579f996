import type { ReactNode } from "react";
import { Cell } from "./table";
import { Text } from "./text";

interface Props {
  column: "saved" | "spent" | "";
  size: string;
  /** The unit, where the head does not name it. */
  unit?: string;
  /** False where the runs do not show it: then it is faded and in brackets, and nothing is credited. */
  credited?: boolean;
}

/** The two columns of an account: what was saved stands left, what was spent right. */
export const Amounts = ({ column, size, unit, credited = true }: Props) => {
  const amount = (
    <>
      {credited ? size : `(${size})`}
      {unit && (
        <Text as="span" small tone="faded" sx={{ fontWeight: 400 }}>
          {" "}
          {unit}
        </Text>
      )}
    </>
  );
  return (
    <>
      <Cell align="right" nowrap tone={credited ? "saved" : "faded"}>
        {column === "saved" && amount}
      </Cell>
      <Cell align="right" nowrap tone={credited ? "spent" : "faded"}>
        {column === "spent" && amount}
      </Cell>
    </>
  );
};

/** An interval in figures, in the direction of its column; where there is little room, with its strip under it. */
export const Ends = ({ interval, children }: { interval: string; children?: ReactNode }) => (
  <Cell align="right" small tone="faded" sx={{ minWidth: 92, "& svg": { marginLeft: "auto" } }}>
    {interval}
    {children}
  </Cell>
);
