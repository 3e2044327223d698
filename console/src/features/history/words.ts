import type { StepPart } from "../../api/types";

const causes: Record<StepPart["by"], string> = {
  fix: "",
  waivers: "waivers and weights as they are today",
  rules: "checks or thresholds that changed",
  vanished: "pages that are no more",
  appeared: "pages that are new",
  unseen: "pages that only one of the crawls saw",
  sample: "pages standing for other numbers of pages",
};

/** What a part of a step in health comes from. */
export const partWords = (p: StepPart): string => p.line || causes[p.by];

/** A change of points; a small one is not shown as none. */
export function signed(d: number): string {
  if (d === 0) return "+0.00";
  if (Math.abs(d) < 0.005) return d > 0 ? "+<0.01" : "−<0.01";
  return `${d > 0 ? "+" : "−"}${Math.abs(d).toFixed(2)}`;
}
