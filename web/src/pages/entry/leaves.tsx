import { styled } from "@mui/material/styles";
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

/** What a leaf found, over its drawing. */
export const LeafSentence = styled("p")({ font: `400 17px / 1.4 ${serif}`, margin: 0, maxWidth: 1000 });
