import { Box, Button, Flex, Input, Link } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { fixesOf } from "../../api/queries";
import { count } from "../../lib/format";
import { useWork } from "../../lib/useWork";
import { RecheckResult } from "../../ui/RecheckResult";
import { Refused } from "../../ui/States";

interface Props {
  site: string;
  chosen: ReadonlySet<string>;
  clear: () => void;
}

/** What can be done with the pages that are chosen in a table. */
export function ChosenBar({ site, chosen, clear }: Props) {
  const [reason, setReason] = useState("");
  const [check, setCheck] = useState("");
  const [asks, ask] = useState(false);
  const work = useWork(site);
  const waive = useMutation({
    mutationFn: () => {
      const wish = { scope: "page" as const, check: check || undefined, reason };
      return work.waive.mutateAsync([...chosen].map((on) => ({ ...wish, on })));
    },
    onSuccess: () => ask(false),
  });
  const look = useMutation({
    mutationFn: async () => {
      const fixes = await fixesOf(site, [...chosen]);
      return fixes.length === 0 ? null : work.look.mutateAsync(fixes);
    },
  });
  const [first] = chosen;
  const them = chosen.size === 1 ? "it" : "them";
  if (!first) return null;
  return (
    <Box px={{ base: "3", md: "5" }} py="1.5" bg="accent.soft">
      <Flex gap="2" align="center" wrap="wrap" role="group" aria-label="The chosen pages">
        <Box mr="2">{count(chosen.size, "page", "pages")} chosen</Box>
        <Button size="xs" variant="outline" bg="bg.panel" aria-expanded={asks} onClick={() => ask(!asks)}>
          Waive what fails on {them}…
        </Button>
        <Button
          size="xs"
          variant="outline"
          bg="bg.panel"
          loading={look.isPending}
          onClick={() => look.mutate()}
        >
          Recheck what fails on {them}
        </Button>
        {chosen.size === 1 && (
          <Button asChild size="xs" variant="outline" bg="bg.panel">
            <RouterLink to={`/look?address=${encodeURIComponent(first)}`}>Look at it now</RouterLink>
          </Button>
        )}
        <Button size="xs" variant="ghost" onClick={clear}>
          Choose none
        </Button>
        {waive.isSuccess && (
          <Box role="status">
            {count(waive.data.length, "page is", "pages are")} left as{" "}
            {waive.data.length === 1 ? "it is" : "they are"}.{" "}
            <Link asChild color="accent">
              <RouterLink to={`/sites/${site}/waivers`}>Waivers</RouterLink>
            </Link>
          </Box>
        )}
      </Flex>
      {asks && (
        <Flex gap="2" mt="2" wrap="wrap" align="center">
          <Input
            size="xs"
            width="14rem"
            bg="bg.panel"
            aria-label="Check, or a pattern of checks"
            placeholder="all checks; such as copy-*"
            value={check}
            onChange={(e) => setCheck(e.target.value)}
          />
          <Input
            size="xs"
            flex="1"
            minW="14rem"
            bg="bg.panel"
            aria-label="Why this is fine as it is"
            placeholder="why this is fine as it is"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Button
            size="xs"
            bg="accent"
            color="accent.text"
            loading={waive.isPending}
            disabled={!reason.trim()}
            onClick={() => waive.mutate()}
          >
            Waive
          </Button>
        </Flex>
      )}
      {look.data === null && <Box role="status">Nothing fails on {them}.</Box>}
      {look.data && (
        <RecheckResult
          key={look.data.number}
          site={site}
          crawl={look.data.crawl}
          number={look.data.number}
          done={work.refresh}
        />
      )}
      <Refused error={waive.error ?? look.error} mt="1" />
    </Box>
  );
}
