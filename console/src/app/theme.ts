import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

// Warm paper, deep pine as the one accent, and a colour for each severity, never without its sign.
const config = defineConfig({
  globalCss: {
    "html, body, #root": { height: "100%" },
    body: { fontVariantNumeric: "tabular-nums", fontSize: "15px", lineHeight: "1.5" },
    "::selection": { background: "accent.soft" },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Source Sans 3 Variable', system-ui, sans-serif" },
        heading: { value: "'Source Sans 3 Variable', system-ui, sans-serif" },
      },
    },
    semanticTokens: {
      colors: {
        bg: {
          DEFAULT: { value: { _light: "#faf6ee", _dark: "#161b18" } },
          panel: { value: { _light: "#fffdf8", _dark: "#1e2521" } },
          subtle: { value: { _light: "#f1ebde", _dark: "#232b26" } },
          muted: { value: { _light: "#e9e1d1", _dark: "#2d3731" } },
        },
        fg: {
          DEFAULT: { value: { _light: "#222b26", _dark: "#ece7da" } },
          muted: { value: { _light: "#57625b", _dark: "#a9b3ab" } },
        },
        border: { DEFAULT: { value: { _light: "#d9cfbb", _dark: "#3a453e" } } },
        accent: {
          DEFAULT: { value: { _light: "#1d5140", _dark: "#8cc5ab" } },
          soft: { value: { _light: "#d5e4db", _dark: "#2a4439" } },
          text: { value: { _light: "#ffffff", _dark: "#10211a" } },
        },
        severity: {
          error: { value: { _light: "#7d1e4b", _dark: "#ea9dc0" } },
          warning: { value: { _light: "#865700", _dark: "#e5b85a" } },
          notice: { value: { _light: "#4a5b69", _dark: "#a5b6c4" } },
        },
      },
    },
  },
});

export const system = createSystem(defaultConfig, config);
