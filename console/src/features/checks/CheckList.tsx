import { Box, Flex, Heading, Input } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { checks } from "../../api/queries";
import { count } from "../../lib/format";
import { useFilters, useSearchField } from "../../lib/useFilters";
import { Select } from "../../ui/Select";
import { Sign } from "../../ui/Sign";
import { Empty, Failed, Loading } from "../../ui/States";
import { CheckText } from "./CheckText";
import { found } from "./filter";

const keys = ["search", "group"] as const;

/** The catalogue, as the service describes it. */
export function CheckList() {
  const list = useQuery(checks());
  const [filter, set] = useFilters(keys);
  const [typed, type] = useSearchField(filter.search, (search) => set({ search }));
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const fitting = found(list.data.checks, filter.search, filter.group);
  const groups = list.data.groups.filter((g) => fitting.some((c) => c.group === g));
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Flex align="center" gap="3" wrap="wrap" mb="4" role="search" aria-label="Find a check">
        <Heading as="h1" size="xl" mr="3">
          Checks
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
          value={filter.group}
          set={(group) => set({ group })}
          options={[["", "all groups"], ...list.data.groups.map((g): [string, string] => [g, g])]}
        />
        <Box color="fg.muted" fontSize="sm" role="status">
          {count(fitting.length, "check", "checks")}
        </Box>
      </Flex>
      {fitting.length === 0 && <Empty title="No check like that">Take a word off to see more.</Empty>}
      {groups.map((group) => (
        <Box key={group} mb="6" maxW="60rem">
          <Heading as="h2" size="md" mb="2" textTransform="capitalize">
            {group}
          </Heading>
          {fitting
            .filter((c) => c.group === group)
            .map((c) => (
              <Box as="details" key={c.id} borderBottomWidth="1px" py="1.5">
                <Box as="summary" cursor="pointer">
                  <Flex display="inline-flex" gap="2" align="center">
                    <Sign severity={c.severity} />
                    <b>{c.id}</b>
                    <Box as="span" color="fg.muted">
                      {c.title}
                    </Box>
                  </Flex>
                </Box>
                <Box pl="6" py="2">
                  <CheckText check={c} />
                </Box>
              </Box>
            ))}
        </Box>
      ))}
    </Box>
  );
}
