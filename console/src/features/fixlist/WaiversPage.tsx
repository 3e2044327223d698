import { Box, Button, Heading, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { waivers } from "../../api/queries";
import type { Waiver } from "../../api/types";
import { when, whole } from "../../lib/format";
import { useWork } from "../../lib/useWork";
import { May } from "../../ui/May";
import { Empty, Failed, Loading, Refused } from "../../ui/States";

/** What a waiver is about, in words. */
function about(w: Waiver): string {
  const what = w.check || "all checks";
  if (w.scope === "check") return `${what}, everywhere`;
  if (w.scope === "fix") return `fix ${w.on}`;
  if (w.scope === "section") return `${what}, below ${w.on}`;
  if (w.scope === "layout") return `${what}, on pages of layout ${w.on}`;
  return `${what}, on ${w.on}`;
}

/** All that was decided to be left, with the reasons. */
export function WaiversPage() {
  const { site = "" } = useParams();
  const list = useQuery(waivers(site));
  const { unwaive } = useWork(site);
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="1">
        Waivers
      </Heading>
      <Text color="fg.muted" mb="4">
        What was decided to be left as it is. It costs no health while its waiver holds; the reason is kept.
      </Text>
      <Refused error={unwaive.error} mb="2" />
      {list.data.length === 0 ? (
        <Empty title="Nothing is waived">
          Where something is fine as it is, waive it in the fix list, with the reason.
        </Empty>
      ) : (
        <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
          <Table.Root size="sm" aria-label="Waivers">
            <Table.Header>
              <Table.Row bg="bg.subtle">
                <Table.ColumnHeader>What is left</Table.ColumnHeader>
                <Table.ColumnHeader>Why</Table.ColumnHeader>
                <Table.ColumnHeader>Who, when</Table.ColumnHeader>
                <Table.ColumnHeader>Until</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">Findings</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">Pages</Table.ColumnHeader>
                <Table.ColumnHeader>State</Table.ColumnHeader>
                <Table.ColumnHeader />
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {list.data.map((w) => (
                <Table.Row
                  key={w.id}
                  bg="bg.panel"
                  color={w.state.startsWith("holds") ? undefined : "fg.muted"}
                >
                  <Table.Cell overflowWrap="anywhere">{about(w)}</Table.Cell>
                  <Table.Cell overflowWrap="anywhere">{w.reason}</Table.Cell>
                  <Table.Cell>
                    {w.by}, {when(w.created)}
                  </Table.Cell>
                  <Table.Cell whiteSpace="nowrap">{w.until ?? "for good"}</Table.Cell>
                  <Table.Cell textAlign="end">{whole(w.findings)}</Table.Cell>
                  <Table.Cell textAlign="end">{whole(w.pages)}</Table.Cell>
                  <Table.Cell
                    fontWeight={
                      w.state === "holds, matches nothing" || w.state === "cannot be read" ? "600" : undefined
                    }
                  >
                    {w.state === "ended" && w.endedBy ? `ended by ${w.endedBy}` : w.state}
                    {w.broken && (
                      <Text color="fg.muted" fontWeight="400" overflowWrap="anywhere">
                        {w.broken}; it covers nothing
                      </Text>
                    )}
                  </Table.Cell>
                  <Table.Cell textAlign="end">
                    <May as="consultant">
                      {w.state !== "ended" && (
                        <Button
                          size="xs"
                          variant="outline"
                          loading={unwaive.isPending && unwaive.variables === w.id}
                          onClick={() => unwaive.mutate(w.id)}
                        >
                          End
                        </Button>
                      )}
                    </May>
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
    </Box>
  );
}
