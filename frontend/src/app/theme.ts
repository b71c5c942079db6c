import { createTheme } from "@mui/material/styles";

const shared = { error: { main: "#ae4226" }, warning: { main: "#b97908" } };

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-mode" },
  colorSchemes: {
    light: {
      palette: {
        ...shared,
        primary: { main: "#1f5d4c", contrastText: "#fffaf0" },
        background: { default: "#f4eddf", paper: "#fffaf0" },
        text: { primary: "#21302b", secondary: "#5d665f" },
        divider: "#d8cdb7",
      },
    },
    dark: {
      palette: {
        ...shared,
        primary: { main: "#74c2a8", contrastText: "#12201b" },
        background: { default: "#141b19", paper: "#1c2623" },
        text: { primary: "#ece5d6", secondary: "#a3ada5" },
        divider: "#34423d",
      },
    },
  },
  shape: { borderRadius: 6 },
  typography: {
    fontFamily: "var(--text)",
    fontSize: 13.5,
    body1: { fontSize: 14, lineHeight: 1.45 },
    button: { textTransform: "none", fontWeight: 600, letterSpacing: 0 },
  },
  components: {
    MuiButton: { defaultProps: { disableElevation: true, size: "small" } },
    MuiTextField: { defaultProps: { size: "small", variant: "outlined" } },
    MuiSelect: { defaultProps: { size: "small" } },
    MuiTooltip: { defaultProps: { enterDelay: 400 } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
  },
});
