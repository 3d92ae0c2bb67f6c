import { Button, type CSSVariablesResolver, createTheme, type MantineColorsTuple, Modal } from "@mantine/core";

/** Warm dark neutrals: the bog at night. Mantine's dark scheme is drawn from these. */
const peat: MantineColorsTuple = [
  "#ebe4d9",
  "#cfc5b7",
  "#aa9f91",
  "#857a6e",
  "#5d544b",
  "#463f38",
  "#352f2a",
  "#28231f",
  "#1f1b18",
  "#171411",
];
/** The one accent. 7 passes AA on paper, 4 on peat. */
const lantern: MantineColorsTuple = [
  "#fff5e2",
  "#fce7c4",
  "#f7d08f",
  "#f1b858",
  "#eba52f",
  "#d08a17",
  "#b06f0a",
  "#8f5706",
  "#6f4305",
  "#523103",
];
const moss: MantineColorsTuple = [
  "#eff5e8",
  "#dcead0",
  "#bad6a3",
  "#97c074",
  "#7bad52",
  "#659640",
  "#507a32",
  "#406228",
  "#324d1f",
  "#243816",
];
const rust: MantineColorsTuple = [
  "#fdefea",
  "#f8d8cd",
  "#efb09c",
  "#e68a6d",
  "#de6b48",
  "#c9532f",
  "#a84223",
  "#88351c",
  "#6b2a17",
  "#4f1f11",
];
const fog: MantineColorsTuple = [
  "#eef3f5",
  "#d9e3e8",
  "#b3c7d1",
  "#8aa9b8",
  "#6a90a3",
  "#547a8e",
  "#436475",
  "#36515f",
  "#2a404b",
  "#1f3038",
];

const ash: MantineColorsTuple = [
  "#f7f3ec",
  "#f0eae0",
  "#e6ddcf",
  "#d8ccba",
  "#bdb0a0",
  "#9c9082",
  "#7d7267",
  "#5f564d",
  "#443d37",
  "#2b2622",
];

export const theme = createTheme({
  respectReducedMotion: true,
  primaryColor: "lantern",
  primaryShade: { light: 7, dark: 4 },
  autoContrast: true,
  components: {
    // Said, so that look.css finds it.
    Button: Button.extend({ defaultProps: { variant: "filled" } }),
    // A dialogue's header is no second banner of the page, and its cross has a name.
    Modal: Modal.extend({
      defaultProps: { closeButtonProps: { "aria-label": "Close" }, attributes: { header: { role: "presentation" } } },
    }),
  },
  luminanceThreshold: 0.36,
  colors: { dark: peat, gray: ash, peat, lantern, moss, rust, fog },
  defaultRadius: 4,
  fontFamily: "'Source Sans 3 Variable', system-ui, sans-serif",
  fontFamilyMonospace: "'JetBrains Mono', ui-monospace, monospace",
  headings: { fontFamily: "'Bitter', Georgia, serif", fontWeight: "600" },
  fontSizes: { xs: "12px", sm: "13.5px", md: "14.5px", lg: "16px", xl: "19px" },
  spacing: { xs: "6px", sm: "10px", md: "16px", lg: "24px", xl: "36px" },
});

/** Our own names for the colours that pages use, per scheme. */
export const schemeVariables: CSSVariablesResolver = () => ({
  variables: {},
  light: {
    "--mantine-color-body": "#faf7f2",
    "--mantine-color-placeholder": "#756a5f",
    "--mantine-color-text": "#2a2520",
    "--mantine-color-dimmed": "#6b6157",
    "--mantine-color-default-border": "#ddd4c6",
    "--r-panel": "#ffffff",
    "--r-line": "#e3dbce",
    "--r-tread": "#eadfcd",
    "--r-tread-live": "#f2cf8f",
    "--r-accent": "#8f5706",
    "--r-done": "#406228",
    "--r-blocker": "#a03c1e",
    "--r-warning": "#8a5a00",
    "--r-note": "#36515f",
  },
  dark: {
    "--mantine-primary-color-contrast": "#1f1b18",
    "--mantine-color-body": "#171411",
    "--mantine-color-placeholder": "#a99e90",
    "--mantine-color-text": "#ebe4d9",
    "--mantine-color-dimmed": "#a99e90",
    "--mantine-color-default-border": "#3a332d",
    "--r-panel": "#1f1b18",
    "--r-line": "#352f2a",
    "--r-tread": "#322b25",
    "--r-tread-live": "#6f4a12",
    "--r-accent": "#f1b858",
    "--r-done": "#97c074",
    "--r-blocker": "#f0957a",
    "--r-warning": "#f1b858",
    "--r-note": "#9fbccb",
  },
});
