/** The book's colours by day and by night. Each has a meaning of its own; nothing else is coloured. */
export const DAY = {
  paper: "#f8f5ec",
  sheet: "#fffdf7",
  rule: "#ddd5c2",
  ink: "#1c2733",
  faded: "#5d6670",
  before: "#44639e",
  after: "#b25d12",
  saved: "#2f6b4f",
  spent: "#a03b33",
  margin: "#efe6d0",
  trade: "#7a5a12",
  plum: "#6e3b6e",
  teal: "#1f6f78",
  olive: "#6b6b1e",
};

export const NIGHT: typeof DAY = {
  paper: "#14181d",
  sheet: "#1b2027",
  rule: "#323a44",
  ink: "#e9e4d8",
  faded: "#9aa3ad",
  before: "#8fabe0",
  after: "#e59a55",
  saved: "#7cc3a0",
  spent: "#e58d85",
  margin: "#2c313a",
  trade: "#d8b45e",
  plum: "#c391c3",
  teal: "#6cbcc6",
  olive: "#bdbd6a",
};

export type Colour = keyof typeof DAY;
export const PREFIX = "vl";

/** A colour as the theme's variable: for drawings, which change with day and night without being drawn again. */
export const colour = Object.fromEntries(
  Object.keys(DAY).map((name) => [name, `var(--${PREFIX}-palette-${name})`]),
) as Record<Colour, string>;
