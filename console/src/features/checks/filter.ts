import type { Check } from "../../api/types";

/** The checks that have all words of a search somewhere, and are of a group, if one is named. */
export function found(checks: Check[], search: string, group: string): Check[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return checks.filter((c) => {
    const text = `${c.id} ${c.title} ${c.what} ${c.how}`.toLowerCase();
    return (!group || c.group === group) && words.every((w) => text.includes(w));
  });
}
