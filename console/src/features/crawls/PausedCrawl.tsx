import { Box, Button, Heading, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { Crawl } from "../../api/types";
import { count, duration } from "../../lib/format";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

/** A crawl that was put away, by hand or because the site shut it out. */
export function PausedCrawl({ crawl }: { crawl: Crawl }) {
  const client = useQueryClient();
  const resume = useMutation({
    mutationFn: () =>
      api.POST("/sites/{site}/crawls/{crawl}/resume", {
        params: { path: { site: crawl.site, crawl: String(crawl.number) } },
      }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["sites", crawl.site] }),
  });
  return (
    <Box p={{ base: "3", md: "5" }} maxW="48rem">
      <Heading as="h1" size="xl" mb="2">
        Crawl {crawl.number} is paused
      </Heading>
      {crawl.detail && (
        <Text mb="3" fontWeight="600">
          {crawl.detail}
        </Text>
      )}
      <Text mb="4" color="fg.muted">
        {count(crawl.progress.fetched, "address is", "addresses are")} stored, after{" "}
        {duration(crawl.progress.seconds)}. It goes on from there.
      </Text>
      <May as="consultant">
        <Button
          size="sm"
          bg="accent"
          color="accent.text"
          loading={resume.isPending}
          onClick={() => resume.mutate()}
        >
          Resume
        </Button>
      </May>
      <Refused error={resume.error} mt="2" />
    </Box>
  );
}
