import { Box, Button, Flex, Input } from "@chakra-ui/react";
import { useCallback } from "react";
import type { Severity } from "../../api/types";
import { count } from "../../lib/format";
import { useMe } from "../../lib/me";
import { useSearchField } from "../../lib/useFilters";
import { useWords } from "../../lib/useWords";
import { Select } from "../../ui/Select";
import { Sign } from "../../ui/Sign";
import type { Filter } from "./filters";

interface Props {
  filter: Filter;
  set: (changes: Partial<Filter>) => void;
  groups: string[];
  total: number;
  shown: boolean;
}

export function FilterRow({ filter, set, groups, total, shown }: Props) {
  const apply = useCallback((search: string) => set({ search }), [set]);
  const [search, setSearch] = useSearchField(filter.search, apply);
  const words = useWords();
  const me = useMe();
  const [own, ...orders] = words.orders;
  return (
    <Flex
      px={{ base: "3", md: "5" }}
      pb="2"
      gap="2"
      wrap="wrap"
      align="center"
      role="search"
      aria-label="Filter the fix list"
    >
      {words.severities.map(({ name: s, says }) => (
        <Button
          key={s}
          size="xs"
          variant={filter.severity === s ? "solid" : "outline"}
          bg={filter.severity === s ? "accent.soft" : undefined}
          color="fg"
          aria-pressed={filter.severity === s}
          onClick={() => set({ severity: filter.severity === s ? "" : s })}
        >
          <Sign severity={s as Severity} label={false} /> {says}
        </Button>
      ))}
      <Select
        size="xs"
        width={{ base: "9.5rem", md: "10rem" }}
        label="Group of checks"
        value={filter.group}
        set={(group) => set({ group })}
        options={[["", "all groups"], ...groups.map((g) => [g, g] as const)]}
      />
      <Select
        size="xs"
        width={{ base: "12rem", md: "13rem" }}
        label="Order"
        value={filter.order}
        set={(order) => set({ order })}
        options={[["", own?.says ?? ""], ...orders.map((o) => [o.name, o.says] as const)]}
      />
      <Select
        size="xs"
        width={{ base: "9rem", md: "8rem" }}
        label="State"
        value={filter.state}
        set={(state) => set({ state })}
        options={[
          ["", "not waived"],
          ...words.states.map((s) => [s.name, s.says] as const),
          ["all", "any state"],
        ]}
      />
      <Input
        size="xs"
        width="12rem"
        bg="bg.panel"
        aria-label="Search the fixes"
        placeholder="words in the fix"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      {me && me.role !== "client" && filter.assignee !== me.name && (
        <Button size="xs" variant="outline" onClick={() => set({ assignee: me.name })}>
          Mine
        </Button>
      )}
      {(["check", "section", "assignee"] as const).map(
        (k) =>
          filter[k] && (
            <Button key={k} size="xs" variant="outline" onClick={() => set({ [k]: "" })}>
              only {k === "assignee" ? "for " : ""}
              {filter[k]} ×
            </Button>
          ),
      )}
      <Box ml="auto" color="fg.muted" fontSize="sm" role="status">
        {shown && count(total, "fix", "fixes")}
      </Box>
    </Flex>
  );
}
