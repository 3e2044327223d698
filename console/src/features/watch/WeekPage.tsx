import { Box, Button, Flex, Heading, Link, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { api } from "../../api/client";
import type { Scheduled } from "../../api/types";
import { schedules } from "../../api/watching";
import { moment } from "../../lib/time";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Failed, Loading, Refused } from "../../ui/States";
import { Calendar } from "./Calendar";

/** When sites are crawled by themselves, and what the coming week asks of their hosts. */
export function WeekPage() {
  const list = useQuery(schedules());
  const client = useQueryClient();
  const hold = useMutation({
    mutationFn: (held: boolean) => api.PUT("/schedules/held", { body: { held } }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["schedules"] }),
  });
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const { held, schedules: all, coming } = list.data;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="80rem">
      <Flex align="baseline" gap="4" mb="4" wrap="wrap">
        <Heading as="h1" size="xl">
          The coming week
        </Heading>
        {all.length > 0 && (
          <May as="owner">
            <Button size="xs" variant="outline" loading={hold.isPending} onClick={() => hold.mutate(!held)}>
              {held ? "Let schedules begin crawls again" : "Hold all schedules"}
            </Button>
          </May>
        )}
        {held && <Text fontWeight="600">All schedules are held: nothing below begins.</Text>}
      </Flex>
      <Refused error={hold.error} />
      <Panel
        title="Crawls to come"
        rows={coming.length}
        none="No schedule begins anything. A site’s page of watching sets one."
      >
        <Calendar coming={coming} />
      </Panel>
      <Panel title="Schedules" rows={all.length} none="There is none yet.">
        <Rows heads={["Site", "Schedule", "When", "Next", "Last"]}>
          {all.map((s) => (
            <ScheduleRow key={`${s.site} ${s.name}`} of={s} />
          ))}
        </Rows>
      </Panel>
    </Box>
  );
}

function ScheduleRow({ of: s }: { of: Scheduled }) {
  return (
    <Table.Row bg="bg.panel">
      <Table.Cell>
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${s.site}/watch`}>{s.site}</RouterLink>
        </Link>
      </Table.Cell>
      <Table.Cell>{s.name}</Table.Cell>
      <Table.Cell>
        {s.words}
        {s.schedule.hours && `, only ${s.schedule.hours}`}
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{s.next ? moment(s.next) : "paused"}</Table.Cell>
      <Table.Cell>
        <Last of={s} />
      </Table.Cell>
    </Table.Row>
  );
}

/** What came of a schedule last. */
export function Last({ of: s }: { of: Scheduled }) {
  if (!s.last) return "not yet";
  return (
    <>
      {moment(s.last.due)}
      {s.last.crawl ? (
        <>
          ,{" "}
          <Link asChild color="accent">
            <RouterLink to={`/sites/${s.site}/${s.last.crawl}`}>crawl {s.last.crawl}</RouterLink>
          </Link>
        </>
      ) : null}
      {s.last.says && `, ${s.last.says}`}
    </>
  );
}
