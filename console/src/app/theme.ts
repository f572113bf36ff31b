import { createTheme } from "@mui/material/styles";

// The only place with colours and spacing: peat and reed on still water.
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "class" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#175650", contrastText: "#fffdf5" },
        secondary: { main: "#9a5b13" },
        error: { main: "#a3291f" },
        success: { main: "#3f6b1f" },
        background: { default: "#f1f3ec", paper: "#fdfdf8" },
        text: { primary: "#1d2a26", secondary: "#55635c" },
        divider: "#d5dbcd",
      },
    },
    dark: {
      palette: {
        primary: { main: "#7cc4b4", contrastText: "#0c1f1c" },
        secondary: { main: "#e3b567" },
        error: { main: "#f09a8c" },
        success: { main: "#a8cf7c" },
        background: { default: "#121a18", paper: "#1a2522" },
        text: { primary: "#e4ebe3", secondary: "#9fb0a7" },
        divider: "#31403b",
      },
    },
  },
  shape: { borderRadius: 6 },
  typography: {
    fontFamily: "'Atkinson Hyperlegible', system-ui, sans-serif",
    h1: { fontSize: "1.55rem", fontWeight: 700, letterSpacing: "-0.01em" },
    h2: { fontSize: "1.05rem", fontWeight: 700 },
    button: { textTransform: "none", fontWeight: 700 },
  },
  components: {
    MuiCssBaseline: {
      // Room for the bars at the edges, so that an input that takes the focus is never under one.
      styleOverrides: { html: { scrollPaddingTop: 72, scrollPaddingBottom: 112 } },
    },
    MuiButton: { defaultProps: { disableElevation: true } },
    MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiTableCell: {
      styleOverrides: {
        head: { fontWeight: 700, whiteSpace: "nowrap" },
        body: { maxWidth: 260, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
      },
    },
  },
});
