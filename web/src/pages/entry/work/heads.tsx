import { useSearchParams } from "react-router";
import type { Schemas } from "../../../api/client";
import { Cell } from "../../../kit";

/** The heads of both arms' columns. */
export const BothArms = () => (
  <>
    <Cell align="right" tone="before" nowrap>
      ◇ Before
    </Cell>
    <Cell align="right" tone="after" nowrap>
      ◆ After
    </Cell>
  </>
);

/** Those of an account: both arms, what was saved left and what was spent right. */
export const AccountHead = () => (
  <>
    <BothArms />
    <Cell align="right">Saved</Cell>
    <Cell align="right">Spent</Cell>
    <Cell align="right">95 % interval</Cell>
    <Cell>Shown</Cell>
  </>
);

/** What is chosen in the address: the arm, and a way to choose another of anything. */
export function useAsked() {
  const [search, setSearch] = useSearchParams();
  const arm: Schemas["ArmEnum"] = search.get("arm") === "before" ? "before" : "after";
  const choose = (name: string, value: string) => {
    search.set(name, value);
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  return { search, arm, choose };
}
