import type { ReactNode } from "react";
import { isAtLeast, useMe } from "../lib/me";

/** Shows what only those of a role, or of one that may more, can do. */
export function May({ as, children }: { as: "reader" | "consultant" | "owner"; children: ReactNode }) {
  return isAtLeast(useMe(), as) ? children : null;
}
