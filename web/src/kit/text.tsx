import Link, { type LinkProps } from "@mui/material/Link";
import { styled } from "@mui/material/styles";
import type { ButtonHTMLAttributes, ElementType, HTMLAttributes, Key, ReactNode } from "react";
import { serif } from "./theme";

/** What a text means; the colours are the palette's. */
export type Tone = "faded" | "saved" | "spent" | "before" | "after";

interface TextStyle {
  tone?: Tone | undefined;
  small?: boolean;
  size?: number;
  nowrap?: boolean;
  right?: boolean;
  /** Not on narrow screens. */
  wide?: boolean;
  /** On narrow screens alone. */
  narrow?: boolean;
  /** In the interface's type, behind a heading. */
  aside?: boolean;
}
const OWN = ["as", "sx", "tone", "small", "size", "nowrap", "right", "wide", "narrow", "aside"];

/** A text in one of the book's tones. */
export const Text = styled("p", { shouldForwardProp: (name) => !OWN.includes(name as string) })<TextStyle>(
  ({ theme, tone, small, size, nowrap, right, wide, narrow, aside }) => ({
    ...(tone && { color: (theme.vars ?? theme).palette[tone] }),
    ...((tone === "saved" || tone === "spent") && { fontWeight: 600 }),
    ...((small || size) && { fontSize: size ?? 12 }),
    ...(nowrap && { whiteSpace: "nowrap" }),
    ...(right && { textAlign: "right" }),
    ...(aside && { font: `400 13px ${theme.typography.fontFamily}`, marginLeft: 8 }),
    ...(wide && { [theme.breakpoints.down("sm")]: { display: "none" } }),
    ...(narrow && { [theme.breakpoints.up("sm")]: { display: "none" } }),
  }),
) as unknown as (
  props: HTMLAttributes<HTMLElement> & TextStyle & { as?: ElementType; sx?: LinkProps["sx"]; key?: Key },
) => ReactNode;

/** A verb in the text: a button that reads as a link. */
export const TextButton = ({
  small,
  faded,
  sx,
  ...button
}: ButtonHTMLAttributes<HTMLButtonElement> & { small?: boolean; faded?: boolean; sx?: LinkProps["sx"] }) => (
  <Link
    component="button"
    type="button"
    color={faded ? "text.secondary" : "inherit"}
    sx={[{ minHeight: 24, ...(small && { fontSize: 12 }) }, ...(Array.isArray(sx) ? sx : [sx])]}
    {...button}
  />
);

const Said = styled("p")(({ theme }) => ({
  font: `400 19px / 1.38 ${serif}`,
  margin: "10px 0 12px",
  [theme.breakpoints.down("md")]: { fontSize: 17 },
}));

/** What a result says, in the book's serif. */
export const Sentence = (props: HTMLAttributes<HTMLParagraphElement>) => (
  <Said data-testid="sentence" {...props} />
);

/** A text of a drawing. */
export const SvgText = styled("text", {
  shouldForwardProp: (name) => !["ink", "tone", "as", "sx"].includes(name as string),
})<{ ink?: boolean; tone?: "before" | "after" }>(({ theme, ink, tone }) => ({
  fontFamily: theme.typography.fontFamily,
  fontSize: 12,
  fill: (theme.vars ?? theme).palette[tone ?? (ink ? "ink" : "faded")],
  fontVariantNumeric: "tabular-nums",
}));

/** What a page is; the heading all others stand under. */
export const PageTitle = styled("h1")(({ theme }) => ({ "&&": { ...theme.typography.h2 } }));

/** One of a page's few large parts. */
export const PartTitle = styled("h2")(({ theme }) => ({ "&&": { ...theme.typography.h2 } }));

/** For who reads by ear alone. */
export const Unseen = styled("span")({
  position: "absolute",
  width: 1,
  height: 1,
  overflow: "hidden",
  clipPath: "inset(50%)",
  whiteSpace: "nowrap",
});
