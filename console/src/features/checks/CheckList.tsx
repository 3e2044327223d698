import { Box, Flex, Heading, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { checks } from "../../api/queries";
import { Sign } from "../../ui/Sign";
import { Failed, Loading } from "../../ui/States";

/** The catalogue, as the service describes it. */
export function CheckList() {
  const list = useQuery(checks());
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="60rem">
      <Heading as="h1" size="xl" mb="4">
        Checks
      </Heading>
      {list.data.groups.map((group) => (
        <Box key={group} mb="6">
          <Heading as="h2" size="md" mb="2" textTransform="capitalize">
            {group}
          </Heading>
          {list.data.checks
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
                  <Text mb="1">{c.what}</Text>
                  <Text mb="1">{c.why}</Text>
                  <Text mb="1">{c.how}</Text>
                  {c.limits.map((l) => (
                    <Text key={l.name} fontSize="sm">
                      Threshold {l.name}: {l.default} {l.unit}. {l.doc}
                    </Text>
                  ))}
                  {c.source && (
                    <Text fontSize="sm" color="fg.muted">
                      Rests on: {c.source}
                    </Text>
                  )}
                </Box>
              </Box>
            ))}
        </Box>
      ))}
    </Box>
  );
}
