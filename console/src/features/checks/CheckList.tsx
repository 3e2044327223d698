import { Box, Flex, Heading } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { checks } from "../../api/queries";
import { useFilters } from "../../lib/useFilters";
import { Sign } from "../../ui/Sign";
import { Empty, Failed, Loading } from "../../ui/States";
import { CheckSearch } from "./CheckSearch";
import { CheckText } from "./CheckText";
import { found } from "./filter";

const keys = ["search", "group"] as const;

/** The catalogue, as the service describes it. */
export function CheckList() {
  const list = useQuery(checks());
  const [filter, set] = useFilters(keys);
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const fitting = found(list.data.checks, filter.search, filter.group);
  const groups = list.data.groups.filter((g) => fitting.some((c) => c.group === g));
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <CheckSearch
        title="Checks"
        search={filter.search}
        group={filter.group}
        groups={list.data.groups}
        set={set}
        fitting={fitting.length}
      />
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
