import { Box, Flex, Heading, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { crawl, speed } from "../../api/queries";
import { useFilters } from "../../lib/useFilters";
import { Select } from "../../ui/Select";
import { SpeedTable } from "../../ui/SpeedTable";
import { Empty, Failed, Loading } from "../../ui/States";

const keys = ["by"] as const;

/** How soon rendered pages stand and what scripts change on them, by layout or section. */
export function SpeedPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [{ by }, set] = useFilters(keys);
  const info = useQuery(crawl(site, number));
  const s = useQuery(speed(site, number, by === "section" ? by : "layout", ""));
  if (s.isPending || info.isPending) return <Loading />;
  if (s.isError) return <Failed error={s.error} retry={s.refetch} />;
  if (s.data.groups.length === 0) {
    return (
      <Empty title="Nothing was rendered">
        The plan of this crawl renders no page. Rendering of some pages of each layout tells most for the
        least: set “Rendered pages” to “templates” in the plan, and crawl again.
      </Empty>
    );
  }
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Flex gap="3" align="center" wrap="wrap" mb="2">
        <Heading as="h1" size="md">
          Speed and scripts, by
        </Heading>
        <Select
          size="xs"
          width="7rem"
          label="Put pages together by"
          value={s.data.by}
          set={(to) => set({ by: to === "layout" ? "" : to })}
          options={[
            ["layout", "layout"],
            ["section", "section"],
          ]}
        />
      </Flex>
      <Text mb="3" maxW="60rem">
        Values of the laboratory, measured on this machine: three in four pages of a group are no worse.
        {s.data.before ? ` In brackets, what has changed since crawl ${s.data.before}.` : ""}
      </Text>
      <SpeedTable speed={s.data} home={info.data?.home ?? ""} base={`/sites/${site}/${number}`} />
    </Box>
  );
}
