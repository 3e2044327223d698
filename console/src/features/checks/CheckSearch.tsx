import { Box, Flex, Heading, Input } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { count } from "../../lib/format";
import { useSearchField } from "../../lib/useFilters";
import { Select } from "../../ui/Select";

interface Props {
  title: ReactNode;
  search: string;
  group: string;
  groups: string[];
  set: (to: { search?: string; group?: string }) => void;
  /** How many checks fit. */
  fitting: number;
  /** What else narrows them. */
  children?: ReactNode;
}

/** The head of a list of checks, by which it is narrowed. */
export function CheckSearch({ title, search, group, groups, set, fitting, children }: Props) {
  const [typed, type] = useSearchField(search, (search) => set({ search }));
  return (
    <Flex align="center" gap="3" wrap="wrap" mb="4" role="search" aria-label="Find a check">
      <Heading as="h1" size="xl" mr="3">
        {title}
      </Heading>
      <Input
        size="sm"
        width="18rem"
        aria-label="Search"
        placeholder="words of a check"
        bg="bg.panel"
        value={typed}
        onChange={(e) => type(e.target.value)}
      />
      <Select
        label="Group of checks"
        width="10rem"
        value={group}
        set={(group) => set({ group })}
        options={[["", "all groups"], ...groups.map((g): [string, string] => [g, g])]}
      />
      {children}
      <Box color="fg.muted" fontSize="sm" role="status">
        {count(fitting, "check", "checks")}
      </Box>
    </Flex>
  );
}
