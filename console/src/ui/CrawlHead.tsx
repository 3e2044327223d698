import { Box, Flex, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { returned, tally } from "../api/queries";
import type { Crawl } from "../api/types";
import { count, points, when, whole } from "../lib/format";
import { isAtLeast, useMe } from "../lib/me";
import { byGroup, LedgerBar } from "./LedgerBar";

interface Props {
  crawl: Crawl;
  group: string;
  choose: (group: string) => void;
}

/** Health with its ledger, and what was fetched; every number leads to its rows. */
export function CrawlHead({ crawl, group, choose }: Props) {
  const { site, crawl: number } = useParams();
  const sees = isAtLeast(useMe(), "reader");
  const counts = useQuery({ ...tally(crawl.site, String(crawl.number)), enabled: sees });
  const back = useQuery(returned(crawl.site, String(crawl.number)));
  const r = crawl.report;
  const answered = (name: string) =>
    `/sites/${site}/${number}/tables?${new URLSearchParams({
      of: "pages",
      question: /^\d+$/.test(name) ? `status == ${name}` : `outcome == ${JSON.stringify(name)}`,
    })}`;
  if (!r?.scored) {
    return (
      <Box px={{ base: "3", md: "5" }} py="3">
        <Text fontWeight="600">This crawl has no health: no page could be assessed.</Text>
        <Text color="fg.muted">
          {crawl.detail || "Look at the pages to see what the addresses answered."}
        </Text>
      </Box>
    );
  }
  const partial = r.expected > r.assessed;
  return (
    <Box px={{ base: "3", md: "5" }} pt="3" pb="2">
      <Flex align="baseline" columnGap="5" rowGap="0" wrap="wrap" mb="2">
        <Text fontSize="xl" fontWeight="650">
          Health {points(r.health)}
          {partial && ` ± ${points(r.halfWidth)}`}
        </Text>
        <Text color="fg.muted">
          {partial
            ? `${whole(r.assessed)} of about ${whole(r.expected)} pages`
            : `${count(r.assessed, "page", "pages")}, everything fetched`}
          {", "}
          {when(crawl.started)}
        </Text>
        {(back.data ?? 0) > 0 && (
          <Link asChild color="severity.error" fontWeight="700">
            <RouterLink to={`/sites/${site}/${number}/fixes?state=returned`}>
              {count(back.data ?? 0, "fix", "fixes")} returned
            </RouterLink>
          </Link>
        )}
        {sees && (r.waived ?? 0) > 0 && (
          <Link asChild color="accent">
            <RouterLink to={`/sites/${site}/waivers`}>
              {points(r.unwaived ?? 0)} with {count(r.waived ?? 0, "finding", "findings")} that{" "}
              {r.waived === 1 ? "is" : "are"} waived
            </RouterLink>
          </Link>
        )}
        <Flex gap="3" wrap="wrap" ml={{ md: "auto" }} fontSize="sm">
          {counts.data?.statuses.map((s) => (
            <Link key={s.name} asChild color="fg">
              <RouterLink to={answered(s.name)}>
                <b>{whole(s.count)}</b> × {s.name}
              </RouterLink>
            </Link>
          ))}
        </Flex>
      </Flex>
      {r.unfound && (
        <Text mb="1" fontWeight="650" color="severity.error">
          {r.unfound}
        </Text>
      )}
      {crawl.plan.robots === "disregard" && (
        <Text mb="1">robots.txt was disregarded: {crawl.plan.permission}</Text>
      )}
      {crawl.detail && <Text mb="1">{crawl.detail}</Text>}
      <LedgerBar health={r.health} groups={byGroup(r.ledger ?? [])} chosen={group} choose={choose} />
    </Box>
  );
}
