import { Box, Button, Flex, Input, NativeSelect } from "@chakra-ui/react";
import { useCallback } from "react";
import type { Severity } from "../../api/types";
import { count } from "../../lib/format";
import { useSearchField } from "../../lib/useFilters";
import { Sign } from "../../ui/Sign";
import { type Filter, orders } from "./filters";

interface Props {
  filter: Filter;
  set: (changes: Partial<Filter>) => void;
  groups: string[];
  total: number;
  shown: boolean;
}

const severities: Severity[] = ["error", "warning", "notice"];

export function FilterRow({ filter, set, groups, total, shown }: Props) {
  const apply = useCallback((search: string) => set({ search }), [set]);
  const [search, setSearch] = useSearchField(filter.search, apply);
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
      {severities.map((s) => (
        <Button
          key={s}
          size="xs"
          variant={filter.severity === s ? "solid" : "outline"}
          bg={filter.severity === s ? "accent.soft" : undefined}
          color="fg"
          aria-pressed={filter.severity === s}
          onClick={() => set({ severity: filter.severity === s ? "" : s })}
        >
          <Sign severity={s} label={false} /> {s}s
        </Button>
      ))}
      <NativeSelect.Root size="xs" width={{ base: "9.5rem", md: "10rem" }}>
        <NativeSelect.Field
          aria-label="Group of checks"
          bg="bg.panel"
          value={filter.group}
          onChange={(e) => set({ group: e.target.value })}
        >
          <option value="">all groups</option>
          {groups.map((g) => (
            <option key={g} value={g}>
              {g}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <NativeSelect.Root size="xs" width={{ base: "12rem", md: "13rem" }}>
        <NativeSelect.Field
          aria-label="Order"
          bg="bg.panel"
          value={filter.order}
          onChange={(e) => set({ order: e.target.value })}
        >
          {orders.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Input
        size="xs"
        width="14rem"
        bg="bg.panel"
        aria-label="Search the fixes"
        placeholder="words in the fix"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      {filter.check && (
        <Button size="xs" variant="outline" onClick={() => set({ check: "" })}>
          only {filter.check} ×
        </Button>
      )}
      <Box ml="auto" color="fg.muted" fontSize="sm" role="status">
        {shown && count(total, "fix", "fixes")}
      </Box>
    </Flex>
  );
}
