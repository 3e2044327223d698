import { Box, Button, Flex, Heading, Progress, SimpleGrid, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, follow } from "../../api/client";
import type { Crawl, Progress as CrawlProgress } from "../../api/types";
import { duration, whole } from "../../lib/format";
import { May } from "../../ui/May";
import { Counts } from "./Counts";
import { PaceLine } from "./PaceLine";

/** A running crawl, followed over server-sent events. */
export function LiveCrawl({ crawl }: { crawl: Crawl }) {
  const [p, setProgress] = useState<CrawlProgress>(crawl.progress);
  const client = useQueryClient();
  const { site, number } = crawl;
  const params = { path: { site, crawl: String(number) } };
  useEffect(
    () =>
      follow(site, String(number), (event, data) => {
        // While a crawl is taken up again its pace is not known yet; a pace being typed is not to vanish for that.
        if (event === "progress")
          setProgress((before) => ({ pace: before.pace, ...(data as CrawlProgress) }));
        else client.invalidateQueries({ queryKey: ["sites"] });
      }),
    [site, number, client],
  );
  const stop = useMutation({ mutationFn: () => api.POST("/sites/{site}/crawls/{crawl}/stop", { params }) });
  const pause = useMutation({ mutationFn: () => api.POST("/sites/{site}/crawls/{crawl}/pause", { params }) });
  const ahead = p.waiting + p.later;
  const share = p.fetched + ahead > 0 ? (100 * p.fetched) / (p.fetched + ahead) : 0;
  const busy = p.phase === "judging" || p.phase === "probing" || p.phase === "resuming";
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Flex align="baseline" gap="3" wrap="wrap" mb="4">
        <Heading as="h1" size="xl" mr="auto">
          Crawl {crawl.number} is running
        </Heading>
        <May as="consultant">
          <Button size="sm" variant="outline" loading={pause.isPending} onClick={() => pause.mutate()}>
            Pause
          </Button>
          <Button size="sm" variant="outline" loading={stop.isPending} onClick={() => stop.mutate()}>
            Stop and judge what there is
          </Button>
        </May>
      </Flex>
      <Progress.Root value={busy ? null : share} size="sm" mb="2" aria-label="Fetched of what is known">
        <Progress.Track bg="bg.muted">
          <Progress.Range bg="accent" />
        </Progress.Track>
      </Progress.Root>
      <Text mb="4" color="fg.muted" truncate role="status">
        {what(p)}
      </Text>
      {p.pace && p.phase !== "judging" && (
        <PaceLine site={site} crawl={String(number)} pace={p.pace} pause={crawl.plan.pause} />
      )}
      <SimpleGrid columns={{ base: 2, md: 4 }} gap="4" mb="6">
        <Fact label="fetched" value={whole(p.fetched)} />
        <Fact label="waiting" value={whole(ahead)} />
        <Fact label="a second" value={p.rate.toFixed(p.rate < 10 ? 1 : 0)} />
        <Fact label="failures" value={whole(p.failures)} />
        <Fact label="findings so far" value={whole(p.findings)} />
        <Fact label="addresses known" value={whole(p.known)} />
        {p.beyond && <Fact label="mentions not taken up" value={whole(p.beyond)} />}
        <Fact label="running for" value={duration(p.seconds)} />
        <Fact label="for those waiting, about" value={p.left > 0 ? duration(p.left) : "–"} />
      </SimpleGrid>
      <SimpleGrid columns={{ base: 1, sm: 2, lg: 5 }} gap="6" mb="6">
        <Counts title="By state" counts={p.states} />
        <Counts title="By answer" counts={p.statuses} />
        <Counts title="By type" counts={p.types} />
        <Counts title="By clicks from home" counts={p.depths} byName />
        <Counts title="By section" counts={p.sections} home={crawl.home} />
      </SimpleGrid>
      {p.errors && p.errors.length > 0 && (
        <Box as="section" aria-label="Last failures">
          <Heading as="h2" size="sm" mb="1">
            Last failures
          </Heading>
          {[...p.errors].reverse().map((e) => (
            <Text key={e.address + e.what} fontSize="sm" truncate title={`${e.address} ${e.detail ?? ""}`}>
              <b>{e.what}</b> {e.address}{" "}
              <Box as="span" color="fg.muted">
                {e.detail}
              </Box>
            </Text>
          ))}
        </Box>
      )}
    </Box>
  );
}

/** What is going on, in words. */
function what(p: CrawlProgress): string {
  switch (p.phase) {
    case "judging":
      return "Everything is fetched; the whole site is being judged.";
    case "probing":
      return "Asking the front doors and some made-up addresses.";
    case "resuming":
      return "Taking up again what was stored.";
  }
  const lanes: Record<string, string> = {
    sitemaps: "What only the sitemaps list: ",
    resources: "What the pages load: ",
    outbound: "Outbound links: ",
  };
  return p.last ? `${lanes[p.lane ?? ""] ?? ""}${p.last}` : "Reading robots.txt and sitemaps";
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
