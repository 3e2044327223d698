import { Box, Table, Text } from "@chakra-ui/react";
import type { Trial } from "../api/types";
import { points, signed, whole } from "../lib/format";

const fromTo = (was: number, now: number) => (was === now ? whole(now) : `${whole(was)} → ${whole(now)}`);

/** What a crawl would come to by other rules. */
export function TrialResult({ trial }: { trial: Trial }) {
  if (trial.checks.length === 0) {
    return (
      <Text mt="3" role="status">
        Nothing would change: the same checks fail at the same places.
      </Text>
    );
  }
  return (
    <Box mt="3" role="status">
      <Text mb="1">
        Health <b>{points(trial.now.health)}</b> instead of {points(trial.was.health)} (
        {signed(trial.now.health - trial.was.health)}), {whole(trial.now.fixes)} fixes instead of{" "}
        {whole(trial.was.fixes)}.
      </Text>
      <Table.ScrollArea maxH="14rem" borderWidth="1px" rounded="sm">
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row bg="bg.subtle">
              <Table.ColumnHeader>Check</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Pages</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Places</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {trial.checks.slice(0, 30).map((c) => (
              <Table.Row key={c.check}>
                <Table.Cell title={c.title}>{c.check}</Table.Cell>
                <Table.Cell textAlign="end">{fromTo(c.was.pages, c.now.pages)}</Table.Cell>
                <Table.Cell textAlign="end">{fromTo(c.was.places, c.now.places)}</Table.Cell>
                <Table.Cell textAlign="end">{signed(c.was.points - c.now.points)}</Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
    </Box>
  );
}
