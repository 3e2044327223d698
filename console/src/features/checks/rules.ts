import type { Check, Plan } from "../../api/types";

export type Rule = NonNullable<Plan["checks"]>[number];

/** Whether a pattern of check IDs, in which * stands for anything, names one. */
export function covers(pattern: string | undefined, id: string): boolean {
  const words = (pattern ?? "").split("*").map((w) => w.replace(/[.+?^${}()|[\]\\]/g, "\\$&"));
  return new RegExp(`^${words.join(".*")}$`).test(id);
}

/** How a check is judged, as a form shows it. */
export interface Judging {
  on: string;
  off: boolean;
  severity: string;
  factor: string;
  limits: Record<string, string>;
  because: string;
}

/** The rule of exactly this check on these pages; what a pattern says of many stays out of the form. */
export const ruleOf = (plan: Plan, id: string, on: string): Rule | undefined =>
  plan.checks?.find((r) => r.check === id && (r.on ?? "") === on);

export function judgingOf(plan: Plan, check: Check, on: string): Judging {
  const rule = ruleOf(plan, check.id, on);
  return {
    on,
    off: rule?.off ?? false,
    severity: rule?.severity ?? "",
    factor: rule?.factor ? String(rule.factor) : "",
    limits: Object.fromEntries(
      check.limits.map((l) => {
        const set = rule?.limits?.[l.name] ?? (on ? undefined : plan.limits?.[l.name]);
        return [l.name, set === undefined ? "" : String(set)];
      }),
    ),
    because: rule?.because ?? "",
  };
}

/** The plan's rules with a check judged in another way; none of it where it is as the catalogue says. */
export function rulesWith(plan: Plan, id: string, j: Judging): Rule[] {
  const limits = Object.fromEntries(
    Object.entries(j.limits)
      .filter(([, v]) => v.trim() !== "")
      .map(([name, v]) => [name, Number(v)]),
  );
  const rule: Rule = { check: id, because: j.because };
  if (j.on) rule.on = j.on;
  if (j.off) rule.off = true;
  else {
    if (j.severity) rule.severity = j.severity as Rule["severity"];
    if (j.factor) rule.factor = Number(j.factor);
    if (Object.keys(limits).length > 0) rule.limits = limits;
  }
  const others = (plan.checks ?? []).filter((r) => !(r.check === id && (r.on ?? "") === j.on));
  const says = rule.off || rule.severity || rule.factor || rule.limits;
  return says ? [...others, rule] : others;
}
