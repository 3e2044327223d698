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
