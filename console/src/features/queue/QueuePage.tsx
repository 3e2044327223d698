import { Box, Heading, Link, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { queue } from "../../api/queries";
import type { QueuedCrawl, Worker } from "../../api/types";
import { whole } from "../../lib/format";
import { lasting } from "../../lib/time";
import { Framed, Panel } from "../../ui/Panel";
import { Failed, Loading } from "../../ui/States";
import { JobTable } from "./JobTable";

/** Who works and at what, and what waits for a worker. */
export function QueuePage() {
  const now = useQuery(queue());
  if (now.isPending) return <Loading />;
  if (now.isError) return <Failed error={now.error} retry={now.refetch} />;
  const { workers, crawls, jobs } = now.data;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="75rem">
      <Heading as="h1" size="xl" mb="4">
        Queue
      </Heading>
      <Panel title="Crawls" none="No crawl runs, and none waits." rows={crawls.length}>
        <Framed>
          <CrawlRows crawls={crawls} />
        </Framed>
      </Panel>
      <Panel title="Other work" none="Everything that hangs on crawls is done." rows={jobs.length}>
        <Framed>
          <JobTable jobs={jobs} />
        </Framed>
      </Panel>
      <Panel title="Workers" none="Nobody takes work: start `harvik worker`." rows={workers.length}>
        <Framed>
          <WorkerRows workers={workers} />
        </Framed>
      </Panel>
    </Box>
  );
}

function CrawlRows({ crawls }: { crawls: QueuedCrawl[] }) {
  return (
    <>
      <Table.Header>
        <Table.Row bg="bg.subtle">
          <Table.ColumnHeader>Crawl</Table.ColumnHeader>
          <Table.ColumnHeader>Where</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">For</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Fetched</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Taken up</Table.ColumnHeader>
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {crawls.map((c) => (
          <Table.Row key={`${c.site}@${c.number}`} bg="bg.panel">
            <Table.Cell whiteSpace="nowrap">
              <Link asChild color="accent" fontWeight="600">
                <RouterLink to={`/sites/${c.site}/${c.number}`}>
                  {c.site}, crawl {c.number}
                </RouterLink>
              </Link>
            </Table.Cell>
            <Table.Cell>
              {c.waits ? "waits for a worker" : c.place || "a worker that is missed"}
              {c.error && (
                <Text fontSize="sm" color="fg.muted">
                  {c.error}
                </Text>
              )}
            </Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {lasting(c.since)}
            </Table.Cell>
            <Table.Cell textAlign="end">{whole(c.fetched)}</Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {c.taken === 0 ? "not yet" : c.taken === 1 ? "once" : `${c.taken} times`}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </>
  );
}

function WorkerRows({ workers }: { workers: Worker[] }) {
  const most = (n: number) => (n === 0 ? "none" : whole(n));
  return (
    <>
      <Table.Header>
        <Table.Row bg="bg.subtle">
          <Table.ColumnHeader>Where</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Crawls</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">At most</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Judgings</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Rechecks</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Watches</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Messages</Table.ColumnHeader>
          <Table.ColumnHeader>Secrets</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">For</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Heard of</Table.ColumnHeader>
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {workers.map((w) => (
          <Table.Row key={w.place + w.started} bg="bg.panel">
            <Table.Cell>{w.place}</Table.Cell>
            <Table.Cell textAlign="end">{whole(w.runs)}</Table.Cell>
            <Table.Cell textAlign="end">{most(w.crawls)}</Table.Cell>
            <Table.Cell textAlign="end">{most(w.judgings)}</Table.Cell>
            <Table.Cell textAlign="end">{most(w.rechecks)}</Table.Cell>
            <Table.Cell textAlign="end">{most(w.watches)}</Table.Cell>
            <Table.Cell textAlign="end">{most(w.messages)}</Table.Cell>
            <Table.Cell>{w.opens ? "opens them" : "lacks the key"}</Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {lasting(w.started)}
            </Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {lasting(w.seen)} ago
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </>
  );
}
