import { createTheme } from "@mui/material/styles";
import { Chevron } from "../ui/Chevron";

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
    // A field: what it is called above, a line below, and our own chevron where it opens.
    MuiTextField: { defaultProps: { size: "small", variant: "standard" } },
    MuiInputLabel: {
      defaultProps: { shrink: true },
      styleOverrides: {
        root: {
          position: "static",
          transform: "none",
          fontSize: 12,
          lineHeight: 1.4,
          color: "var(--soft)",
          "&.Mui-focused": { color: "var(--ink)" },
          "&.Mui-error": { color: "var(--ember)" },
        },
      },
    },
    MuiInput: {
      styleOverrides: {
        root: {
          "label + &.MuiInput-root": { marginTop: 0 },
          "&::before": { borderBottomColor: "var(--soft)" },
          "&.Mui-error::before": { borderBottomColor: "var(--ember)" },
        },
        input: { padding: "3px 2px 4px", "&::placeholder": { color: "var(--soft)", opacity: 1 } },
      },
    },
    MuiSelect: {
      defaultProps: { size: "small", IconComponent: Chevron },
      styleOverrides: { icon: { top: "calc(50% - 6px)", right: 4, color: "var(--soft)" } },
    },
    MuiNativeSelect: { styleOverrides: { icon: { top: "calc(50% - 6px)", right: 4, color: "var(--soft)" } } },
    MuiTooltip: { defaultProps: { enterDelay: 400 } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
  },
});
