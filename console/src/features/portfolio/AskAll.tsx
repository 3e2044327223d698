import { Box, Flex, Heading, Link, Table, Text } from "@chakra-ui/react";
import { useQueries, useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { answers, facts, sites, views } from "../../api/queries";
import { points, whole } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { QuestionLine } from "../../ui/QuestionLine";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading } from "../../ui/States";

const keys = ["of", "question"] as const;

/** The same question over the newest crawl of every site. */
export function AskAll() {
  const [asked, set] = useFilters(keys);
  const list = useQuery(sites());
  const known = useQuery(facts());
  const kept = useQuery(views(""));
  const table = known.data?.tables.find((t) => t.name === (asked.of || known.data.tables[0]?.name));
  const crawled = (list.data ?? []).filter((s) => s.latest !== undefined);
  const totals = useQueries({
    queries: crawled.map((s) => answers(s.name, { of: table?.name ?? "", question: asked.question })),
  });
  if (list.isPending || known.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  if (known.isError) return <Failed error={known.error} retry={known.refetch} />;
  if (!table) return <Empty title={`There is no table ${asked.of}`}>Choose another.</Empty>;
  const most = Math.max(1, ...totals.map((t) => t.data ?? 0));
  const fault = totals.find((t) => t.isError)?.error;
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="3">
        Ask all sites
      </Heading>
      <Flex gap="2" wrap="wrap" mb="2">
        <Select
          label="Table"
          width="9rem"
          value={table.name}
          set={(of) => set({ of, question: "" })}
          options={known.data.tables.map((t) => [t.name, t.name])}
        />
        <Select
          label="View"
          width="14rem"
          value=""
          set={(name) => {
            const v = kept.data?.find((one) => one.name === name);
            if (v) set({ of: v.of, question: v.question });
          }}
          options={[["", "views…"], ...(kept.data ?? []).map((v): [string, string] => [v.name, v.name])]}
        />
      </Flex>
      <Flex mb="4">
        <QuestionLine table={table} value={asked.question} ask={(question) => set({ question })} />
      </Flex>
      {fault ? (
        <Text role="alert" color="severity.error">
          {fault.message}
        </Text>
      ) : crawled.length === 0 ? (
        <Empty title="No site has been crawled yet">Crawl one, and ask again.</Empty>
      ) : (
        <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
          <Table.Root size="sm">
            <Table.Header>
              <Table.Row bg="bg.subtle">
                <Table.ColumnHeader>Site</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">{table.name}</Table.ColumnHeader>
                <Table.ColumnHeader width="50%">
                  <Box srOnly>bar</Box>
                </Table.ColumnHeader>
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {crawled.map((s, i) => {
                const total = totals[i]?.data;
                const to = new URLSearchParams({ of: table.name, question: asked.question });
                return (
                  <Table.Row key={s.name} bg="bg.panel">
                    <Table.Cell>{s.name}</Table.Cell>
                    <Table.Cell textAlign="end">{s.health === undefined ? "–" : points(s.health)}</Table.Cell>
                    <Table.Cell textAlign="end">
                      {total === undefined ? (
                        "…"
                      ) : (
                        <Link asChild color="accent">
                          <RouterLink to={`/sites/${s.name}/latest/tables?${to}`}>{whole(total)}</RouterLink>
                        </Link>
                      )}
                    </Table.Cell>
                    <Table.Cell>
                      <Box height="10px" bg="accent" width={`${(100 * (total ?? 0)) / most}%`} />
                    </Table.Cell>
                  </Table.Row>
                );
              })}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
    </Box>
  );
}
