import { createTheme } from "@mui/material/styles";

const sans = '"Inter Variable", system-ui, sans-serif';

/** MUI in the book's colours; the values mirror book.css, which carries everything of our own. */
export const bookTheme = (night: boolean) =>
  createTheme({
    palette: night
      ? {
          mode: "dark",
          primary: { main: "#e9e4d8" },
          background: { default: "#14181d", paper: "#1b2027" },
          text: { primary: "#e9e4d8", secondary: "#9aa3ad" },
          divider: "#323a44",
        }
      : {
          mode: "light",
          primary: { main: "#1c2733" },
          background: { default: "#f8f5ec", paper: "#fffdf7" },
          text: { primary: "#1c2733", secondary: "#5d6670" },
          divider: "#ddd5c2",
        },
    shape: { borderRadius: 3 },
    typography: { fontFamily: sans, fontSize: 13, button: { textTransform: "none", fontWeight: 500 } },
    transitions: { create: () => "none" },
    components: {
      MuiButton: {
        defaultProps: { size: "small", variant: "outlined", disableElevation: true, disableRipple: true },
      },
      MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
      MuiFormHelperText: { styleOverrides: { root: { fontSize: 12 } } },
      MuiInputLabel: { styleOverrides: { shrink: { fontSize: 16 } } },
      MuiPaper: {
        styleOverrides: {
          root: { backgroundImage: "none", boxShadow: "none", border: "1px solid var(--rule)" },
        },
      },
      MuiTooltip: {
        defaultProps: { arrow: false, enterDelay: 250 },
        styleOverrides: {
          tooltip: {
            background: "var(--sheet)",
            color: "var(--ink)",
            border: "1px solid var(--ink)",
            fontSize: 12.5,
            lineHeight: 1.4,
            maxWidth: 320,
          },
        },
      },
    },
  });
