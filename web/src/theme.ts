/** Paper and ink: the two themes, and the colours that mean something. */
import { createTheme } from "@mui/material/styles";

interface Brook {
  muted: string;
  rule: string;
  pale: string;
  ochre: string;
  brick: string;
}

/** Sizes of text by what it is: `fontSize: "size.small"`. */
const size = {
  mark: 10.5,
  note: 11,
  small: 12,
  cell: 12.5,
  text: 13,
  lead: 15,
  head: 18,
  answer: 20,
  title: 22,
  hero: 30,
} as const;

declare module "@mui/material/styles" {
  interface TypographyVariants {
    size: typeof size;
  }
  interface TypographyVariantsOptions {
    size?: typeof size;
  }
  interface Palette {
    brook: Brook;
  }
  interface PaletteOptions {
    brook: Brook;
  }
}

export const SERIF = '"Source Serif 4 Variable", Georgia, serif';
const SANS = '"Inter Variable", system-ui, sans-serif';

/** Nothing moves for those who asked their system for stillness. */
const still = typeof matchMedia === "function" && matchMedia("(prefers-reduced-motion: reduce)").matches;
const atOnce = {
  shortest: 0,
  shorter: 0,
  short: 0,
  standard: 0,
  complex: 0,
  enteringScreen: 0,
  leavingScreen: 0,
};

export const theme = createTheme({
  transitions: still ? { create: () => "none", duration: atOnce } : {},
  cssVariables: { colorSchemeSelector: "media" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#0F6A6E", contrastText: "#FFFFFF" },
        background: { default: "#FAF7F0", paper: "#FFFDF8" },
        text: { primary: "#17282B", secondary: "#51625F" },
        divider: "#DDD8CA",
        error: { main: "#A63A24" },
        warning: { main: "#8A5600" },
        brook: { muted: "#5C6A66", rule: "#DDD8CA", pale: "#E2EEEC", ochre: "#8A5600", brick: "#A63A24" },
      },
    },
    dark: {
      palette: {
        primary: { main: "#63BDBF", contrastText: "#0E1A1C" },
        background: { default: "#131E20", paper: "#192628" },
        text: { primary: "#EAE6DA", secondary: "#AEBBB6" },
        divider: "#33443F",
        error: { main: "#EE8B74" },
        warning: { main: "#DDA54A" },
        brook: { muted: "#98A8A2", rule: "#33443F", pale: "#1F3436", ochre: "#DDA54A", brick: "#EE8B74" },
      },
    },
  },
  shape: { borderRadius: 4 },
  spacing: 8,
  typography: {
    fontFamily: SANS,
    fontSize: 13.5,
    htmlFontSize: 16,
    size,
    h1: { fontFamily: SERIF, fontSize: 22, fontWeight: 560, lineHeight: 1.25 },
    h2: { fontFamily: SERIF, fontSize: 16, fontWeight: 560 },
    h3: { fontFamily: SERIF, fontSize: 14.5, fontWeight: 560 },
    body1: { fontSize: 13.5, lineHeight: 1.45 },
    body2: { fontSize: 12, lineHeight: 1.45 },
    caption: { fontSize: 12, lineHeight: 1.45 },
    button: { textTransform: "none", fontWeight: 550 },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontFeatureSettings: '"tnum" 1' },
        a: { color: "inherit" },
        "*:focus-visible": { outline: "2px solid var(--mui-palette-primary-main)", outlineOffset: 2 },
      },
    },
    MuiButton: { defaultProps: { disableElevation: true, disableRipple: true, size: "small" } },
    MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
    MuiTable: {
      styleOverrides: {
        root: {
          "& caption": {
            captionSide: "top",
            padding: "0 0 4px",
            color: "inherit",
            fontWeight: 600,
            fontSize: size.cell,
          },
        },
      },
    },
    MuiTableCell: {
      styleOverrides: {
        root: { padding: "6px 12px 6px 0", fontSize: size.text },
        head: {
          fontWeight: 500,
          fontSize: size.small,
          lineHeight: 1.45,
          color: "var(--mui-palette-text-secondary)",
          borderBottomColor: "var(--mui-palette-text-primary)",
        },
        body: { fontWeight: 400, borderBottomColor: "var(--mui-palette-divider)" },
        sizeSmall: { padding: "4px 12px 4px 0", fontSize: size.cell },
      },
    },
    MuiAlert: { styleOverrides: { root: { padding: "4px 12px" } } },
  },
});
