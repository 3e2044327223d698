import { useQuery } from "@tanstack/react-query";
import { people } from "../api/people";
import { isAtLeast, useMe } from "../lib/me";

/** The list that places for a name offer: those who work here. */
export const namesID = "names-of-people";

/** Those who work here and see what is said, for who works with them. */
function useColleagues() {
  const list = useQuery({ ...people(), enabled: isAtLeast(useMe(), "consultant") });
  return (list.data?.people ?? []).filter((p) => p.role !== "client");
}

/** Gives what a text whose last word begins with @ becomes with each name that begins so. */
export function useMentioning() {
  const all = useColleagues();
  return (typed: string) => {
    const [, before, begun] = /^(.*(?:^|\s)@)([^@]*)$/s.exec(typed) ?? [];
    if (before === undefined || begun === undefined) return [];
    return all
      .filter((p) => p.name.toLowerCase().startsWith(begun.toLowerCase()))
      .map((p) => before + p.name);
  };
}

/** Offers the names of those who work here to places that say so. */
export function PeopleNames() {
  const all = useColleagues();
  return (
    <datalist id={namesID}>
      {all
        .filter((p) => p.role !== "reader")
        .map((p) => (
          <option key={p.id} value={p.name} />
        ))}
    </datalist>
  );
}
