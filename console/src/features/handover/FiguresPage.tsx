import { Box, Button, Field, Flex, Heading, Input, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useParams } from "react-router";
import { api, asText, read } from "../../api/client";
import { figures } from "../../api/queries";
import type { FigureImport } from "../../api/types";
import { count, when, whole } from "../../lib/format";
import { May } from "../../ui/May";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading, Refused } from "../../ui/States";

/** The consultant's own figures by address: visits, revenue, whatever a CSV file holds. */
export function FiguresPage() {
  const { site = "" } = useParams();
  const list = useQuery(figures(site));
  const client = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [taken, setTaken] = useState("");
  const refresh = () => client.invalidateQueries({ queryKey: ["sites", site] });
  const take = useMutation({
    mutationFn: async () => {
      const chosen = file.current?.files?.[0];
      if (!chosen) throw new Error("choose a CSV file first");
      return read(
        api.POST("/sites/{site}/figures", {
          params: { path: { site }, query: { taken } },
          body: await chosen.text(),
          ...asText("text/csv"),
        }),
      );
    },
    onSuccess: refresh,
  });
  const weigh = useMutation({
    mutationFn: (figure: string) =>
      api.PUT("/sites/{site}/importance", { params: { path: { site } }, body: { figure } }),
    onSuccess: refresh,
  });
  const forget = useMutation({
    mutationFn: (figure: string) =>
      api.DELETE("/sites/{site}/figures/{figure}", { params: { path: { site, figure } } }),
    onSuccess: refresh,
  });
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const numbers = [...new Set(list.data.figures.filter((f) => f.kind !== "text").map((f) => f.name))];
  const fault = take.error ?? weigh.error ?? forget.error;
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="1">
        Own figures
      </Heading>
      <Text color="fg.muted" mb="4">
        From CSV: one column of addresses, every other column a figure under its heading. They become columns,
        filters and sort orders of the pages; one of them can weigh pages beside their authority.
      </Text>
      <May as="consultant">
        <Flex gap="3" wrap="wrap" align="flex-end" mb="3">
          <Field.Root width="18rem">
            <Field.Label>CSV file</Field.Label>
            <Input size="sm" type="file" accept=".csv,text/csv" ref={file} bg="bg.panel" pt="1" />
          </Field.Root>
          <Field.Root width="11rem">
            <Field.Label>Of the day (today if empty)</Field.Label>
            <Input
              size="sm"
              type="date"
              bg="bg.panel"
              value={taken}
              onChange={(e) => setTaken(e.target.value)}
            />
          </Field.Root>
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            loading={take.isPending}
            onClick={() => take.mutate()}
          >
            Take the figures
          </Button>
        </Flex>
      </May>
      <Refused error={fault} mb="3" />
      {take.data && <Taken result={take.data} />}
      {list.data.figures.length === 0 ? (
        <Empty title="No figures yet" />
      ) : (
        <>
          <May as="consultant">
            <Field.Root mb="4" width="20rem">
              <Field.Label>Pages weigh by authority and</Field.Label>
              <Select
                value={list.data.importance}
                set={(figure) => weigh.mutate(figure)}
                options={[["", "nothing else"], ...numbers.map((n) => [n, n] as const)]}
              />
            </Field.Root>
          </May>
          <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
            <Table.Root size="sm" aria-label="Own figures">
              <Table.Header>
                <Table.Row bg="bg.subtle">
                  <Table.ColumnHeader>Figure</Table.ColumnHeader>
                  <Table.ColumnHeader>Of</Table.ColumnHeader>
                  <Table.ColumnHeader>Kind</Table.ColumnHeader>
                  <Table.ColumnHeader textAlign="end">Addresses</Table.ColumnHeader>
                  <Table.ColumnHeader>Imported</Table.ColumnHeader>
                  <Table.ColumnHeader />
                </Table.Row>
              </Table.Header>
              <Table.Body>
                {list.data.figures.map((f) => (
                  <Table.Row key={f.name + f.taken} bg="bg.panel">
                    <Table.Cell>{f.name}</Table.Cell>
                    <Table.Cell>{f.taken}</Table.Cell>
                    <Table.Cell>{f.kind}</Table.Cell>
                    <Table.Cell textAlign="end">{whole(f.rows)}</Table.Cell>
                    <Table.Cell>{when(f.imported)}</Table.Cell>
                    <Table.Cell textAlign="end">
                      <May as="consultant">
                        <Button size="xs" variant="outline" onClick={() => forget.mutate(f.name)}>
                          Forget
                        </Button>
                      </May>
                    </Table.Cell>
                  </Table.Row>
                ))}
              </Table.Body>
            </Table.Root>
          </Table.ScrollArea>
        </>
      )}
    </Box>
  );
}

/** What was taken, and what was not. */
function Taken({ result: r }: { result: FigureImport }) {
  return (
    <Box
      role="status"
      aria-label="What was taken"
      mb="4"
      borderWidth="1px"
      rounded="sm"
      bg="bg.panel"
      px="3"
      py="2"
    >
      <Text>
        {count(r.rows, "row", "rows")} read, {whole(r.matched)} of pages of the newest crawl:{" "}
        {r.columns.map((c) => `${c.name} (${c.kind})`).join(", ")}.
      </Text>
      {r.unmatched.length > 0 && (
        <Text overflowWrap="anywhere">
          No page of the newest crawl: {r.unmatched.slice(0, 10).join(", ")}
          {r.unmatched.length > 10 && ` and ${whole(r.unmatched.length - 10)} more`}
        </Text>
      )}
      {r.faults.slice(0, 10).map((f) => (
        <Text key={f.line + f.reason}>
          Left out: line {f.line}: {f.reason}
        </Text>
      ))}
    </Box>
  );
}
