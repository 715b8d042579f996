import { createTheme } from "@mui/material/styles";
import { type Colour, colour, DAY, NIGHT, PREFIX } from "./palette";

declare module "@mui/material/styles" {
  interface Palette extends Record<Colour, string> {}
  interface PaletteOptions extends Partial<Record<Colour, string>> {}
}

const sans = '"Inter Variable", system-ui, sans-serif';
export const serif = '"Source Serif 4 Variable", Georgia, serif';

const scheme = (colours: typeof DAY) => ({
  palette: {
    ...colours,
    primary: { main: colours.ink, contrastText: colours.sheet },
    error: { main: colours.spent },
    background: { default: colours.paper, paper: colours.sheet },
    text: { primary: colours.ink, secondary: colours.faded },
    divider: colours.rule,
  },
});

const focus = { outline: `2px solid ${colour.ink}`, outlineOffset: 2 };
const field = {
  fontSize: 13,
  background: colour.sheet,
  border: `1px solid ${colour.rule}`,
  borderRadius: 3,
  padding: 0,
  minWidth: 0,
  maxWidth: "100%",
  "&.Mui-focused": focus,
  "&.Mui-error": { borderColor: colour.spent },
};

/** Everything of Material in the book's look: its colours, type, spaces (in px) and states, by day and by night. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-scheme", cssVarPrefix: PREFIX },
  colorSchemes: { light: scheme(DAY), dark: scheme(NIGHT) },
  spacing: 1,
  breakpoints: { values: { xs: 0, sm: 761, md: 1121, lg: 1536, xl: 2200 } },
  shape: { borderRadius: 3 },
  typography: {
    fontFamily: sans,
    fontSize: 14,
    body1: { fontSize: 14, lineHeight: 1.45 },
    body2: { fontSize: 13, lineHeight: 1.45 },
    caption: { fontSize: 12, lineHeight: 1.45 },
    h1: { fontFamily: serif, fontWeight: 600, fontSize: 28, lineHeight: 1.2 },
    h2: { fontFamily: serif, fontWeight: 600, fontSize: 20, lineHeight: 1.2 },
    h3: { fontFamily: serif, fontWeight: 600, fontSize: 16, lineHeight: 1.2 },
    button: { textTransform: "none", fontWeight: 500, fontSize: 13 },
  },
  transitions: { create: () => "none" },
  components: {
    MuiCssBaseline: {
      styleOverrides: (t) => ({
        "html, body, #root": { height: "100%" },
        h1: { ...t.typography.h1, margin: 0, [t.breakpoints.down("sm")]: { fontSize: 22 } },
        h2: { ...t.typography.h3, margin: 0 },
        h3: { ...t.typography.h3, margin: 0 },
        p: { margin: 0 },
        a: { color: "inherit", textUnderlineOffset: 2 },
        ":focus-visible": focus,
        ".uplot, .uplot *": { fontFamily: `${sans} !important` },
        ".uplot .u-select": { background: `color-mix(in srgb, ${colour.ink} 10%, transparent)` },
        ".uplot .u-cursor-x": { borderRight: `1px dotted ${colour.ink} !important` },
        // On paper: the sheet alone, by day whatever the screen shows, nothing cut off, nothing to press.
        "@media print": {
          ":root, [data-scheme]": {
            ...Object.fromEntries(
              Object.entries({
                ...DAY,
                "text-primary": DAY.ink,
                "text-secondary": DAY.faded,
                "background-default": DAY.sheet,
              }).map(([name, value]) => [`--${PREFIX}-palette-${name}`, `${value} !important`]),
            ),
            colorScheme: "light",
          },
          "html, body, #root, #root > div, #root > div > div": {
            height: "auto",
            overflow: "visible",
            display: "block",
          },
          "aside:has(nav), #page ~ *, header:has(+ #page), [role=search], button, form, .MuiDialog-root": {
            display: "none !important",
          },
          "#page": { overflow: "visible !important", padding: "0 !important" },
          "#page > div": { border: "0 !important", padding: "0 !important" },
          "tr, svg, h2": { breakInside: "avoid" },
          h2: { breakAfter: "avoid" },
        },
        // Where the system chooses the colours, drawings keep their own on their own sheet, and what is chosen has
        // a line around it, since its ground is not seen.
        "@media (forced-colors: active)": {
          "svg[role=img], .uplot, .MuiLinearProgress-root": {
            forcedColorAdjust: "none",
            backgroundColor: colour.sheet,
          },
          "tr.Mui-selected": { outline: "2px solid Highlight", outlineOffset: -2 },
        },
        "@media (prefers-reduced-motion: reduce)": {
          "*": { transition: "none !important", animation: "none !important" },
        },
      }),
    },
    MuiButtonBase: {
      defaultProps: { disableRipple: true },
      styleOverrides: { root: { "&.Mui-focusVisible": focus } },
    },
    MuiButton: {
      defaultProps: { size: "small", variant: "outlined", disableElevation: true },
      styleOverrides: { root: { padding: "3px 9px", minHeight: 28, lineHeight: 1.5 } },
    },
    MuiInputBase: {
      styleOverrides: {
        root: field,
        input: {
          padding: "4px 9px",
          height: "auto",
          lineHeight: 1.45,
          "&::placeholder": { color: colour.faded, opacity: 1 },
        },
        multiline: { padding: 0 },
      },
    },
    MuiNativeSelect: { styleOverrides: { select: { padding: "4px 24px 4px 9px", minHeight: 0 } } },
    MuiCheckbox: {
      defaultProps: { size: "small", color: "primary" },
      styleOverrides: { root: { padding: 3, "& .MuiSvgIcon-root": { fontSize: 18 } } },
    },
    MuiFormControlLabel: {
      styleOverrides: { root: { margin: 0, gap: 4 }, label: { fontSize: 13, lineHeight: 1.45 } },
    },
    MuiFormHelperText: { styleOverrides: { root: { fontSize: 12, margin: 0, lineHeight: 1.4 } } },
    MuiTable: { styleOverrides: { root: { fontVariantNumeric: "tabular-nums" } } },
    MuiTableRow: {
      styleOverrides: {
        root: {
          "&[data-link]": { cursor: "pointer" },
          "&.Mui-selected, &.Mui-selected:hover": {
            background: `color-mix(in srgb, ${colour.margin} 55%, transparent)`,
          },
        },
        head: { borderBottom: `1px solid ${colour.ink}` },
      },
    },
    MuiTableCell: {
      styleOverrides: {
        root: {
          fontSize: 13,
          lineHeight: 1.45,
          padding: "5px 6px",
          borderBottom: 0,
          borderTop: `1px solid ${colour.rule}`,
        },
        head: {
          fontSize: 12,
          fontWeight: 500,
          color: colour.faded,
          padding: "4px 6px",
          borderTop: 0,
          verticalAlign: "bottom",
        },
        sizeSmall: { paddingTop: 2, paddingBottom: 2 },
        body: { "tr:last-child > &": { borderBottom: `1px solid ${colour.rule}` } },
      },
    },
    MuiTableSortLabel: {
      styleOverrides: {
        root: {
          font: "inherit",
          color: "inherit",
          minHeight: 24,
          alignItems: "flex-end",
          "&.Mui-active": { color: colour.ink, fontWeight: 600 },
          "& .MuiTableSortLabel-icon": { fontSize: 14, margin: "0 2px" },
        },
      },
    },
    MuiAutocomplete: {
      styleOverrides: {
        paper: { border: `1px solid ${colour.ink}`, borderRadius: 3 },
        listbox: { padding: 0, fontSize: 13 },
        option: { minHeight: "28px !important", padding: "3px 9px !important" },
        loading: { fontSize: 13, padding: "6px 9px" },
        noOptions: { fontSize: 13, padding: "6px 9px" },
        endAdornment: { display: "none" },
      },
    },
    MuiPaper: {
      styleOverrides: {
        root: { backgroundImage: "none", boxShadow: "none", border: `1px solid ${colour.rule}` },
      },
    },
    MuiDialog: { styleOverrides: { paper: { border: `1px solid ${colour.ink}`, padding: 20, margin: 16 } } },
    MuiBackdrop: {
      styleOverrides: { root: { background: `color-mix(in srgb, ${colour.ink} 25%, transparent)` } },
    },
    MuiLink: {
      defaultProps: { color: "inherit", underline: "always" },
      styleOverrides: {
        root: { textUnderlineOffset: 2, textDecorationColor: "currentcolor" },
        button: { verticalAlign: "baseline", font: "inherit" },
      },
    },
    MuiLinearProgress: {
      styleOverrides: {
        root: { height: 6, background: colour.margin, border: `1px solid ${colour.rule}` },
        bar: { background: colour.ink },
      },
    },
    MuiSkeleton: {
      defaultProps: { animation: false },
      styleOverrides: { root: { background: colour.margin, transform: "none" } },
    },
    MuiTooltip: {
      defaultProps: { arrow: false, enterDelay: 250 },
      styleOverrides: {
        tooltip: {
          background: colour.sheet,
          color: colour.ink,
          border: `1px solid ${colour.ink}`,
          fontSize: 12.5,
          lineHeight: 1.4,
          maxWidth: 320,
        },
      },
    },
  },
});
