import { chakra } from "@chakra-ui/react";
import type { Severity } from "../api/types";

// One shape, three fills, so that the sign is legible without colour.
const fills: Record<Severity, { fill: string; inner: boolean }> = {
  error: { fill: "currentColor", inner: false },
  warning: { fill: "none", inner: true },
  notice: { fill: "none", inner: false },
};

/** The sign of a severity. */
export function Sign({ severity, label = true }: { severity: Severity; label?: boolean }) {
  const { fill, inner } = fills[severity];
  return (
    <chakra.svg
      viewBox="0 0 14 14"
      width="14px"
      height="14px"
      flex="none"
      color={`severity.${severity}`}
      role={label ? "img" : "presentation"}
      aria-label={label ? severity : undefined}
      aria-hidden={label ? undefined : true}
    >
      <path d="M7 1 L13 7 L7 13 L1 7 Z" fill={fill} stroke="currentColor" strokeWidth="1.5" />
      {inner && <path d="M7 4.2 L9.8 7 L7 9.8 L4.2 7 Z" fill="currentColor" />}
    </chakra.svg>
  );
}
