import { Box, Button, Flex, Heading, Progress, SimpleGrid, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { call } from "../../api/client";
import type { Crawl, Progress as CrawlProgress } from "../../api/types";
import { duration, whole } from "../../lib/format";

/** A running crawl, followed over server-sent events. */
export function LiveCrawl({ crawl }: { crawl: Crawl }) {
  const [p, setProgress] = useState<CrawlProgress>(crawl.progress);
  const client = useQueryClient();
  const path = `/sites/${crawl.site}/crawls/${crawl.number}`;
  useEffect(() => {
    const source = new EventSource(`/api/v1${path}/progress`);
    source.addEventListener("progress", (e) => setProgress(JSON.parse(e.data)));
    source.addEventListener("end", () => {
      source.close();
      client.invalidateQueries({ queryKey: ["sites"] });
    });
    return () => source.close();
  }, [path, client]);
  const stop = useMutation({ mutationFn: () => call("POST", `${path}/stop`) });
  const share = p.fetched + p.waiting > 0 ? (100 * p.fetched) / (p.fetched + p.waiting) : 0;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="60rem">
      <Flex align="baseline" gap="4" wrap="wrap" mb="4">
        <Heading as="h1" size="xl">
          Crawl {crawl.number} is running
        </Heading>
        <Button size="sm" variant="outline" ml="auto" loading={stop.isPending} onClick={() => stop.mutate()}>
          Stop and judge what there is
        </Button>
      </Flex>
      <Progress.Root
        value={p.phase === "judging" ? null : share}
        size="sm"
        mb="2"
        aria-label="Fetched of what is known"
      >
        <Progress.Track bg="bg.muted">
          <Progress.Range bg="accent" />
        </Progress.Track>
      </Progress.Root>
      <Text mb="5" color="fg.muted" truncate role="status">
        {p.phase === "judging"
          ? "Everything is fetched; the whole site is being judged."
          : (p.last ?? "Reading robots.txt and sitemaps")}
      </Text>
      <SimpleGrid columns={{ base: 2, md: 4 }} gap="4" mb="6">
        <Fact label="fetched" value={whole(p.fetched)} />
        <Fact label="waiting" value={whole(p.waiting)} />
        <Fact label="a second" value={p.rate.toFixed(p.rate < 10 ? 1 : 0)} />
        <Fact label="failures" value={whole(p.failures)} />
        <Fact label="findings so far" value={whole(p.findings)} />
        <Fact label="addresses known" value={whole(p.known)} />
        <Fact label="running for" value={duration(p.seconds)} />
        <Fact label="for those waiting, about" value={p.left > 0 ? duration(p.left) : "–"} />
      </SimpleGrid>
      <Flex gap="5" wrap="wrap">
        {Object.entries(p.statuses ?? {})
          .sort((a, b) => b[1] - a[1])
          .map(([status, n]) => (
            <Text key={status}>
              <b>{whole(n)}</b> × {status}
            </Text>
          ))}
      </Flex>
    </Box>
  );
}

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <Box borderTopWidth="2px" borderColor="accent" pt="1">
      <Text fontSize="2xl" fontWeight="600" lineHeight="1.2">
        {value}
      </Text>
      <Text color="fg.muted" fontSize="sm">
        {label}
      </Text>
    </Box>
  );
}
