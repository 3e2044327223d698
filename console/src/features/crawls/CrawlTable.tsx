import { Button, Flex, Link, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { api } from "../../api/client";
import { trend } from "../../api/queries";
import type { Crawl, TrendPoint } from "../../api/types";
import { points, when, whole } from "../../lib/format";
import { say, useWords } from "../../lib/useWords";
import { May } from "../../ui/May";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";
import { CrawlStep } from "./CrawlStep";

/** A site's crawls, the newest first, and how many of them stay. */
export function CrawlTable({
  site,
  keep,
  monthly,
  crawls,
}: {
  site: string;
  keep: number;
  monthly: boolean;
  crawls: Crawl[];
}) {
  const client = useQueryClient();
  const steps = useQuery({ ...trend(site), enabled: crawls.filter((c) => c.report).length > 1 }).data ?? [];
  // Where older crawls were judged by other rules, what they come to by those of today stands beside it.
  const judged = steps.some((p) => {
    const then = crawls.find((c) => c.number === p.crawl)?.report;
    return p.scored && then?.scored && Math.abs(then.health - p.health) >= 0.05;
  });
  const refresh = () => client.invalidateQueries({ queryKey: ["sites", site] });
  const hold = useMutation({
    mutationFn: (n: number) =>
      api.PUT("/sites/{site}/keep", { params: { path: { site } }, body: { crawls: n, monthly } }),
    onSuccess: refresh,
  });
  const mark = useMutation({
    mutationFn: (c: Crawl) =>
      api.PUT("/sites/{site}/crawls/{crawl}/mark", {
        params: { path: { site, crawl: String(c.number) } },
        body: { marked: !c.marked },
      }),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: (c: Crawl) =>
      api.DELETE("/sites/{site}/crawls/{crawl}", { params: { path: { site, crawl: String(c.number) } } }),
    onSuccess: refresh,
  });
  return (
    <>
      <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
        <Table.Root size="sm" interactive>
          <Table.Header>
            <Table.Row bg="bg.subtle">
              <Table.ColumnHeader>Crawl</Table.ColumnHeader>
              <Table.ColumnHeader>Started</Table.ColumnHeader>
              <Table.ColumnHeader>How it ended</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Fetched</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Fixes</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
              {steps.length > 1 && (
                <>
                  {judged && <Table.ColumnHeader textAlign="end">Today’s rules</Table.ColumnHeader>}
                  <Table.ColumnHeader textAlign="end">Step</Table.ColumnHeader>
                  <Table.ColumnHeader>What made it</Table.ColumnHeader>
                </>
              )}
              <Table.ColumnHeader>
                <Text srOnly>What to do with it</Text>
              </Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {crawls.map((c) => (
              <CrawlRow
                key={c.number}
                crawl={c}
                trend={steps}
                judged={judged}
                mark={() => mark.mutate(c)}
                remove={() => remove.mutate(c)}
                busy={remove.isPending && remove.variables.number === c.number}
              />
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
      <Refused error={hold.error ?? mark.error ?? remove.error} mt="2" />
      <Flex align="center" gap="3" mt="3" wrap="wrap">
        <May as="consultant">
          <Text fontSize="sm">Crawls that stay</Text>
          <Select
            label="Crawls that stay"
            size="xs"
            width="9rem"
            value={String(keep)}
            set={(n) => hold.mutate(Number(n))}
            options={keeps(keep).map((n) => [String(n), n ? `the newest ${n}` : "all"])}
          />
        </May>
        <Text color="fg.muted" fontSize="sm">
          {keep > 0
            ? "Older ones go when a crawl ends, but for those that are marked. The work at fixes stays."
            : "None goes by itself."}
        </Text>
      </Flex>
    </>
  );
}

/** The numbers to choose from, with the present one. */
const keeps = (now: number) => [...new Set([0, 4, 12, 26, 52, now])].sort((a, b) => a - b);

function CrawlRow({
  crawl: c,
  trend: all,
  judged,
  mark,
  remove,
  busy,
}: {
  crawl: Crawl;
  trend: TrendPoint[];
  judged: boolean;
  mark: () => void;
  remove: () => void;
  busy: boolean;
}) {
  const { endings } = useWords();
  const [asked, ask] = useState(false);
  return (
    <Table.Row bg="bg.panel">
      <Table.Cell whiteSpace="nowrap">
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${c.site}/${c.number}`}>Crawl {c.number}</RouterLink>
        </Link>
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{when(c.started)}</Table.Cell>
      <Table.Cell>{c.state === "finished" ? say(endings, c.ending) : c.state}</Table.Cell>
      <Table.Cell textAlign="end">{whole(c.progress.fetched)}</Table.Cell>
      <Table.Cell textAlign="end">{c.report ? whole(c.report.fixes) : "–"}</Table.Cell>
      <Table.Cell textAlign="end">{c.report?.scored ? points(c.report.health) : "–"}</Table.Cell>
      {all.length > 1 && <CrawlStep crawl={c} trend={all} judged={judged} />}
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        <May as="consultant">
          {asked ? (
            <>
              <Text as="span" fontSize="sm" mr="2">
                Delete it with all that it found?
              </Text>
              <Button size="xs" variant="outline" mr="1" onClick={() => ask(false)}>
                No
              </Button>
              <Button size="xs" bg="accent" color="accent.text" loading={busy} onClick={remove}>
                Delete
              </Button>
            </>
          ) : (
            <>
              <Button
                size="xs"
                variant={c.marked ? "subtle" : "ghost"}
                aria-pressed={!!c.marked}
                aria-label={`Mark crawl ${c.number}`}
                title="A marked crawl stays when older ones go"
                onClick={mark}
              >
                {c.marked ? "Marked" : "Mark"}
              </Button>
              <Button
                size="xs"
                variant="ghost"
                aria-label={`Delete crawl ${c.number}`}
                disabled={c.state === "running"}
                onClick={() => ask(true)}
              >
                Delete
              </Button>
            </>
          )}
        </May>
      </Table.Cell>
    </Table.Row>
  );
}
