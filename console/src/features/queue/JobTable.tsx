import { Button, Table, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import { queue } from "../../api/queries";
import type { Job } from "../../api/types";
import { lasting } from "../../lib/time";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

/** What is done beside crawls, and what one may do about it. */
export function JobTable({ jobs }: { jobs: Job[] }) {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries(queue());
  const cancel = useMutation({
    mutationFn: (job: number) => api.DELETE("/queue/jobs/{job}", { params: { path: { job } } }),
    onSuccess,
  });
  const again = useMutation({
    mutationFn: (job: number) => api.POST("/queue/jobs/{job}/again", { params: { path: { job } } }),
    onSuccess,
  });
  return (
    <>
      <Table.Header>
        <Table.Row bg="bg.subtle">
          <Table.ColumnHeader>What</Table.ColumnHeader>
          <Table.ColumnHeader>Of</Table.ColumnHeader>
          <Table.ColumnHeader>State</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">For</Table.ColumnHeader>
          <Table.ColumnHeader textAlign="end">Tries</Table.ColumnHeader>
          <Table.ColumnHeader>
            <Text srOnly>What to do about it</Text>
          </Table.ColumnHeader>
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {jobs.map((j) => (
          <Table.Row key={j.id} bg="bg.panel">
            <Table.Cell>
              {j.label}
              {j.error && (
                <Text fontSize="sm" color="fg.muted" lineClamp={2} title={j.error}>
                  {j.error}
                </Text>
              )}
            </Table.Cell>
            <Table.Cell whiteSpace="nowrap">
              {j.site}
              {j.crawl ? `, crawl ${j.crawl}` : ""}
              {j.number ? `, recheck ${j.number}` : ""}
            </Table.Cell>
            <Table.Cell>
              {j.state}
              {j.place && (
                <Text fontSize="sm" color="fg.muted">
                  {j.place}
                </Text>
              )}
            </Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              {lasting(j.since)}
            </Table.Cell>
            <Table.Cell textAlign="end">{j.tries}</Table.Cell>
            <Table.Cell textAlign="end" whiteSpace="nowrap">
              <May as="owner">
                {j.state !== "runs" && (
                  <Button
                    size="xs"
                    variant="ghost"
                    aria-label={`Try job ${j.id} now`}
                    onClick={() => again.mutate(j.id)}
                  >
                    Try now
                  </Button>
                )}
                {j.state !== "cancelled" && (
                  <Button
                    size="xs"
                    variant="ghost"
                    aria-label={`Cancel job ${j.id}`}
                    onClick={() => cancel.mutate(j.id)}
                  >
                    Cancel
                  </Button>
                )}
              </May>
            </Table.Cell>
          </Table.Row>
        ))}
        {(cancel.error || again.error) && (
          <Table.Row bg="bg.panel">
            <Table.Cell colSpan={6}>
              <Refused error={cancel.error ?? again.error} />
            </Table.Cell>
          </Table.Row>
        )}
      </Table.Body>
    </>
  );
}
