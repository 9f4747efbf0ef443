// Colours, type and spacing of the console. Other files use these tokens and no colours of their own.
import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

const both = (light: string, dark: string) => ({ value: { base: light, _dark: dark } });

const config = defineConfig({
  globalCss: {
    "html, body": { bg: "paper", color: "ink", fontSize: "15px", lineHeight: "1.4" },
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
      },
    },
  },
});

export const system = createSystem(defaultConfig, config);
