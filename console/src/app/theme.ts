// Colours, type and spacing of the console. Other files use these tokens and no colours of their own.
import { createSystem, defaultBaseConfig, defineConfig } from "@chakra-ui/react";
import {
  animationStyles,
  breakpoints,
  buttonRecipe,
  cssVarsPrefix,
  cssVarsRoot,
  dialogSlotRecipe,
  drawerSlotRecipe,
  globalCss,
  keyframes,
  layerStyles,
  menuSlotRecipe,
  popoverSlotRecipe,
  semanticTokens,
  skeletonRecipe,
  tabsSlotRecipe,
  textStyles,
  tokens,
} from "@chakra-ui/react/theme";

const both = (light: string, dark: string) => ({ value: { base: light, _dark: dark } });

// Of the library's looks only those of components that are used: all of them are half of the first script.
const library = defineConfig({
  preflight: true,
  cssVarsPrefix,
  cssVarsRoot,
  globalCss,
  theme: {
    breakpoints,
    keyframes,
    tokens,
    semanticTokens,
    textStyles,
    layerStyles,
    animationStyles,
    recipes: { button: buttonRecipe, skeleton: skeletonRecipe },
    slotRecipes: {
      dialog: dialogSlotRecipe,
      drawer: drawerSlotRecipe,
      menu: menuSlotRecipe,
      popover: popoverSlotRecipe,
      tabs: tabsSlotRecipe,
    },
  },
});

const config = defineConfig({
  globalCss: {
    "html, body": {
      bg: "paper",
      color: "ink",
      fontSize: "15px",
      lineHeight: "1.4",
      _print: { bg: "white", color: "black", fontSize: "11px" },
    },
    "*, *::before, *::after": {
      _motionReduce: { animationDuration: "0.01ms !important", transitionDuration: "0.01ms !important" },
    },
    // High contrast: the same signs and words, nothing that leans on a faint tint.
    "html.contrast.light": {
      "--chakra-colors-paper": "#ffffff",
      "--chakra-colors-ink": "#000000",
      "--chakra-colors-soft": "#1f2a2e",
      "--chakra-colors-line": "#5a666b",
      "--chakra-colors-tarn": "#00434b",
      "--chakra-colors-kite": "#8a2500",
    },
    "html.contrast.dark": {
      "--chakra-colors-paper": "#000000",
      "--chakra-colors-sheet": "#000000",
      "--chakra-colors-ink": "#ffffff",
      "--chakra-colors-soft": "#d7e2e5",
      "--chakra-colors-line": "#8ba0a7",
      "--chakra-colors-tarn": "#a9f1f7",
      "--chakra-colors-kite": "#ffb596",
    },
    ".sr": { position: "absolute", width: "1px", height: "1px", overflow: "hidden", clipPath: "inset(50%)" },
    ".status": { whiteSpace: "nowrap" },
    ".status .sign": { display: "inline-block", width: "1.2em" },
    ".status.good": { color: "good" },
    ".status.warn": { color: "warn" },
    ".status.bad": { color: "bad" },
    ".status.soft": { color: "soft" },
    ".status.tarn": { color: "tarn" },
    ".status.kite": { color: "kite" },
    "*:focus-visible": { outline: "2px solid", outlineColor: "kite", outlineOffset: "1px" },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Atkinson Hyperlegible Next Variable', system-ui, sans-serif" },
        heading: { value: "'Atkinson Hyperlegible Next Variable', system-ui, sans-serif" },
        mono: { value: "'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace" },
      },
    },
    semanticTokens: {
      colors: {
        paper: both("#f5f4ef", "#10181c"),
        sheet: both("#ffffff", "#172328"),
        tint: both("#e9eeec", "#1f2f35"),
        line: both("#d5d6cd", "#2f4047"),
        ink: both("#17252b", "#e6ebe9"),
        soft: both("#52626a", "#a3b5ba"),
        tarn: both("#175e66", "#7fcad0"),
        onTarn: both("#ffffff", "#0c1a1d"),
        kite: both("#b8421b", "#f08a63"),
        good: both("#1f6b3a", "#7fd19b"),
        warn: both("#8a5300", "#f0c061"),
        bad: both("#a8231f", "#ff9188"),
        mark: both("#ffe3a8", "#5c4a17"),
        // What the components of the library go by.
        bg: {
          DEFAULT: { value: "{colors.paper}" },
          panel: { value: "{colors.sheet}" },
          subtle: { value: "{colors.tint}" },
          muted: { value: "{colors.tint}" },
          emphasized: { value: "{colors.line}" },
        },
        fg: {
          DEFAULT: { value: "{colors.ink}" },
          muted: { value: "{colors.soft}" },
          subtle: { value: "{colors.soft}" },
        },
        border: { DEFAULT: { value: "{colors.line}" }, muted: { value: "{colors.line}" } },
      },
    },
  },
});

export const system = createSystem(defaultBaseConfig, library, config);
