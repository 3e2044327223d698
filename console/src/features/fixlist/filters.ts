/** The fix list's filters, and the fix that is open: all of them stand in the address bar. */
export const filterKeys = [
  "severity",
  "group",
  "check",
  "search",
  "order",
  "state",
  "assignee",
  "section",
  "fix",
] as const;

export type Filter = Record<(typeof filterKeys)[number], string>;

/** The orders of the list; the first is its own, in which the running total of health holds. */
export const orders = [
  ["", "most severe first"],
  ["gain", "most gained first"],
  ["quick", "most gained for the effort"],
  ["pages", "most pages first"],
] as const;

/** What the list can be narrowed to by state; the first leaves out what is waived. */
export const states = [
  ["", "not waived"],
  ["open", "open"],
  ["taken", "taken"],
  ["claimed", "claimed"],
  ["returned", "returned"],
  ["waived", "waived"],
  ["all", "any state"],
] as const;
