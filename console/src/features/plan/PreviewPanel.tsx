import { Box, Heading, SimpleGrid, Text } from "@chakra-ui/react";
import type { Preview } from "../../api/types";
import { count, duration, whole } from "../../lib/format";

/** What a crawl would be like. */
export function PreviewPanel({ preview: p, pages }: { preview: Preview; pages: number }) {
  const size = p.least === p.most ? whole(p.least) : `${whole(p.least)} to ${whole(p.most)}`;
  const short = duration(Math.max(1, p.shortest));
  const long = duration(Math.max(1, p.longest));
  return (
    <Box
      as="section"
      aria-label="Preview"
      borderWidth="1px"
      borderColor="accent"
      rounded="sm"
      bg="bg.panel"
      p="4"
      mb="5"
    >
      {p.warnings?.map((w) => (
        <Text key={w} mb="2" fontWeight="600">
          {w.charAt(0).toUpperCase() + w.slice(1)}.
        </Text>
      ))}
      <SimpleGrid columns={{ base: 1, md: 3 }} gap="5">
        <Box>
          <Heading as="h2" size="sm">
            {size} addresses
          </Heading>
          <Text color="fg.muted">
            After a look at {count(p.sampled, "page", "pages")}: {p.basis}.
          </Text>
        </Box>
        <Box>
          <Heading as="h2" size="sm">
            {p.perSecond === 0 ? "No page answered" : short === long ? short : `${short} to ${long}`}
          </Heading>
          <Text color="fg.muted">
            at {p.perSecond.toFixed(1)} addresses a second
            {p.most > pages && `, for the ${whole(pages)} that the plan allows`}
          </Text>
        </Box>
        <Box minW="0">
          <Heading as="h2" size="sm">
            robots.txt and sitemaps
          </Heading>
          <Text color="fg.muted">
            {p.robots.status === 200
              ? `${count(p.robots.rules.length, "rule holds", "rules hold")} for ${p.robots.as}.`
              : `robots.txt answers with ${p.robots.status || p.robots.detail}.`}
          </Text>
          {p.robots.rules.slice(0, 5).map((r) => (
            <Text key={r.line} fontFamily="mono" fontSize="xs" truncate>
              {r.line}: {r.text}
            </Text>
          ))}
          {p.sitemaps.map((s) => (
            <Text key={s.address} color="fg.muted" truncate title={s.address}>
              {new URL(s.address).pathname}:{" "}
              {s.status !== 200
                ? s.status || s.detail
                : s.form === "index"
                  ? count(s.sitemaps, "sitemap", "sitemaps")
                  : count(s.pages, "address", "addresses")}
            </Text>
          ))}
        </Box>
      </SimpleGrid>
    </Box>
  );
}
