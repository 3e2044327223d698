import { useState } from "react";

type Mode = "light" | "dark";
const key = "harvik.mode";

function wanted(): Mode {
  const kept = localStorage.getItem(key);
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** Puts the chosen mode, or the system's, on the document. */
export function applyColorMode(mode: Mode = wanted()) {
  document.documentElement.classList.remove("light", "dark");
  document.documentElement.classList.add(mode);
  document.documentElement.style.colorScheme = mode;
}

export function useColorMode() {
  const [mode, setMode] = useState<Mode>(wanted);
  const toggle = () => {
    const next = mode === "light" ? "dark" : "light";
    localStorage.setItem(key, next);
    applyColorMode(next);
    setMode(next);
  };
  return { mode, toggle };
}
