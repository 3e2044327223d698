import { Button, Input } from "@chakra-ui/react";
import { useCallback } from "react";
import { useSearchField } from "../../lib/useFilters";
import { useWords } from "../../lib/useWords";
import { Select } from "../../ui/Select";

/** What pages can be narrowed by; all of it stands in the address bar. */
export const pageFilterKeys = [
  "search",
  "status",
  "kind",
  "check",
  "fix",
  "role",
  "indexable",
  "reachable",
  "why",
  "section",
  "having",
] as const;

type Filter = Record<(typeof pageFilterKeys)[number], string>;

interface Props {
  filter: Filter;
  set: (changes: Partial<Filter>) => void;
  /** An own figure of the site, if it has any. */
  figure?: string;
}

export function PageFilters({ filter, set, figure }: Props) {
  const words = useWords();
  const apply = useCallback((search: string) => set({ search }), [set]);
  const [search, setSearch] = useSearchField(filter.search, apply);
  return (
    <>
      <Input
        size="xs"
        width="18rem"
        bg="bg.panel"
        aria-label="Search address and title"
        placeholder="part of address or title"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <Choice
        label="Status"
        value={filter.status}
        set={(status) => set({ status })}
        options={["200", "3xx", "4xx", "5xx", "none"]}
      />
      <Choice
        label="Kind"
        value={filter.kind}
        set={(kind) => set({ kind })}
        options={["html", "other", ...words.kinds.map((k) => k.name)]}
      />
      <Choice
        label="Role"
        value={filter.role}
        set={(role) => set({ role })}
        options={["resources", ...words.roles.map((r) => r.name).filter((r) => r !== "page")]}
      />
      <Choice
        label="Indexable"
        value={filter.indexable}
        set={(indexable) => set({ indexable })}
        options={["yes", "no"]}
        names={{ "": "indexable or not", yes: "indexable", no: "not indexable" }}
      />
      <Choice
        label="Reachable"
        value={filter.reachable}
        set={(reachable) => set({ reachable })}
        options={["yes", "no"]}
        names={{ "": "reachable or not", yes: "reachable from home", no: "not reachable" }}
      />
      {figure && (
        <Input
          size="xs"
          width="11rem"
          bg="bg.panel"
          aria-label="Condition with an own figure"
          placeholder={`such as ${figure} >= 100`}
          defaultValue={filter.having}
          onKeyDown={(e) => e.key === "Enter" && set({ having: e.currentTarget.value })}
          onBlur={(e) => set({ having: e.target.value })}
        />
      )}
      {(["check", "fix", "section", "why"] as const).map(
        (k) =>
          filter[k] && (
            <Button key={k} size="xs" variant="outline" onClick={() => set({ [k]: "" })}>
              only {k} {filter[k]} ×
            </Button>
          ),
      )}
    </>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  options: string[];
  /** What options are called, "" for any; without, they are their own names. */
  names?: Record<string, string>;
  set: (value: string) => void;
}

function Choice({ label, value, options, names = {}, set }: ChoiceProps) {
  const shown = [...new Set([...options, value])].filter(Boolean);
  return (
    <Select
      size="xs"
      width="9rem"
      label={label}
      value={value}
      set={set}
      options={[
        ["", names[""] ?? `any ${label.toLowerCase()}`],
        ...shown.map((o) => [o, names[o] ?? o] as const),
      ]}
    />
  );
}
