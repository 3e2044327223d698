import { Box, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { site } from "../../api/queries";
import { Failed, Loading } from "../../ui/States";
import { Addresses } from "./Addresses";
import { FrontPart } from "./FrontPart";
import { Planned } from "./Planned";
import { Rules } from "./Rules";
import { Schedules } from "./Schedules";

/** How a site is watched: when it is crawled, which addresses are looked at, what is told. */
export function WatchPage() {
  const { site: name = "" } = useParams();
  const info = useQuery(site(name));
  const [at] = useSearchParams();
  if (info.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="80rem">
      <Flex align="baseline" gap="4" mb="4" wrap="wrap">
        <Heading as="h1" size="xl">
          Watching {name}
        </Heading>
        <Text color="fg.muted">{info.data.home}</Text>
        <Link asChild color="accent" ml="auto">
          <RouterLink to={`/inbox?site=${name}&state=all`}>What was told</RouterLink>
        </Link>
      </Flex>
      <Schedules site={name} />
      <Addresses site={name} opened={at.get("watch") ?? ""} />
      <FrontPart site={name} />
      <Rules site={name} />
      <Planned site={name} />
    </Box>
  );
}
