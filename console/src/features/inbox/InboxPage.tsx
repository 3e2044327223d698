import { Box, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useSearchParams } from "react-router";
import { alerts } from "../../api/watching";
import { May } from "../../ui/May";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading } from "../../ui/States";
import { AlertItem } from "./AlertItem";
import { Mentions } from "./Mentions";

const states = [
  ["open", "what is open"],
  ["new", "new"],
  ["read", "read"],
  ["waved off", "waved off"],
  ["expected", "expected"],
  ["all", "all"],
] as const;

/** What was told, to be dealt with. */
export function InboxPage() {
  const [at, setAt] = useSearchParams();
  const site = at.get("site") ?? "";
  const state = states.find(([name]) => name === at.get("state"))?.[0] ?? "open";
  const list = useQuery(alerts(site, state));
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="64rem">
      <Flex gap="4" align="baseline" wrap="wrap" mb="4">
        <Heading as="h1" size="xl">
          Inbox
        </Heading>
        <Select
          label="Which alerts"
          size="xs"
          width="10rem"
          value={state}
          options={states}
          set={(s) => setAt((old) => new URLSearchParams({ ...Object.fromEntries(old), state: s }))}
        />
        {site && (
          <Text>
            of {site}{" "}
            <Link asChild color="accent">
              <RouterLink to="/inbox">of all sites</RouterLink>
            </Link>
          </Text>
        )}
        <May as="consultant">
          <Link asChild color="accent" ml="auto">
            <RouterLink to="/ways">Who is told, and how</RouterLink>
          </Link>
        </May>
      </Flex>
      <Mentions />
      {list.isPending ? (
        <Loading />
      ) : list.isError ? (
        <Failed error={list.error} retry={list.refetch} />
      ) : list.data.alerts.length === 0 ? (
        <Empty title="Nothing is waiting">
          What the rules of a site tell of stands here, and goes out by mail, webhook or feed.
        </Empty>
      ) : (
        <Flex direction="column" gap="3" as="ul" listStyleType="none">
          {list.data.alerts.map((a) => (
            <AlertItem key={a.id} of={a} />
          ))}
        </Flex>
      )}
    </Box>
  );
}
