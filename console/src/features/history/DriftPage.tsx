import { Box, Flex, Heading, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { Problem } from "../../api/client";
import { crawl, crawls, drift, speed } from "../../api/queries";
import { useFilters } from "../../lib/useFilters";
import { Select } from "../../ui/Select";
import { SpeedTable } from "../../ui/SpeedTable";
import { Empty, Failed, Loading } from "../../ui/States";
import { DriftReport } from "./DriftReport";

const keys = ["from"] as const;

/** What changed since an earlier crawl. */
export function DriftPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [{ from }, set] = useFilters(keys);
  const info = useQuery(crawl(site, number));
  const list = useQuery(crawls(site));
  const d = useQuery(drift(site, number, from));
  if (d.error instanceof Problem && d.error.status === 409) {
    return <Empty title="Nothing to compare yet">{d.error.message}.</Empty>;
  }
  if (d.isPending || info.isPending || list.isPending) return <Loading />;
  if (d.isError) return <Failed error={d.error} retry={d.refetch} />;
  const earlier = (list.data ?? []).filter((c) => c.state === "finished" && c.number < d.data.after);
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Flex gap="3" align="center" wrap="wrap" mb="3">
        <Heading as="h1" size="md">
          Crawl {d.data.after} compared with
        </Heading>
        <Select
          size="xs"
          width="9rem"
          label="The earlier crawl"
          value={String(d.data.before)}
          set={(from) => set({ from })}
          options={earlier.map((c) => [String(c.number), `crawl ${c.number}`] as const)}
        />
      </Flex>
      {d.data.drift.notes.map((n) => (
        <Text key={n} mb="1">
          Mind: {n}.
        </Text>
      ))}
      <DriftReport d={d.data.drift} home={info.data?.home ?? ""} base={`/sites/${site}/${number}`} />
      <SpeedSince before={d.data.before} home={info.data?.home ?? ""} />
    </Box>
  );
}

/** How the speed of rendered pages changed, where both crawls rendered some. */
function SpeedSince({ before, home }: { before: number; home: string }) {
  const { site = "", crawl: number = "" } = useParams();
  const s = useQuery(speed(site, number, "layout", String(before)));
  if (s.isError) return <Failed error={s.error} retry={s.refetch} />;
  if (!s.data?.groups.some((g) => g.largest.compared)) return null;
  return (
    <>
      <Heading as="h2" size="md" mt="6" mb="2">
        Speed of rendered pages, before and after
      </Heading>
      <SpeedTable speed={s.data} home={home} base={`/sites/${site}/${number}`} />
    </>
  );
}
