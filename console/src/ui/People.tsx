import { useQuery } from "@tanstack/react-query";
import { people } from "../api/people";
import { isAtLeast, useMe } from "../lib/me";

/** The list that places for a name offer: those who work here. */
export const namesID = "names-of-people";

/** Gives what a text whose last word begins with @ becomes with each name that begins so. */
export function useMentioning() {
  const list = useQuery({ ...people(), enabled: isAtLeast(useMe(), "consultant") });
  return (typed: string) => {
    const [, before, begun] = /^(.*(?:^|\s)@)([^@]*)$/s.exec(typed) ?? [];
    if (before === undefined || begun === undefined) return [];
    return (list.data?.people ?? [])
      .filter((p) => p.role !== "client" && p.name.toLowerCase().startsWith(begun.toLowerCase()))
      .map((p) => before + p.name);
  };
}

/** Offers the names of those who work here to places that say so. */
export function PeopleNames() {
  const list = useQuery({ ...people(), enabled: isAtLeast(useMe(), "consultant") });
  return (
    <datalist id={namesID}>
      {list.data?.people
        .filter((p) => p.role !== "client" && p.role !== "reader")
        .map((p) => (
          <option key={p.id} value={p.name} />
        ))}
    </datalist>
  );
}
