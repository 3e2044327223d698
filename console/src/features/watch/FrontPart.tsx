import { Box, Button, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, read } from "../../api/client";
import { front } from "../../api/watching";
import { count, when } from "../../lib/format";
import { moment } from "../../lib/time";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Failed, Loading, Refused } from "../../ui/States";
import { Changes } from "./Changes";

/** What the site shows besides its pages, looked at daily. */
export function FrontPart({ site }: { site: string }) {
  const now = useQuery(front(site));
  const client = useQueryClient();
  const params = { path: { site } };
  const onSuccess = () => client.invalidateQueries({ queryKey: ["front", site] });
  const look = useMutation({
    mutationFn: () => read(api.POST("/sites/{site}/front", { params })),
    onSuccess,
  });
  const turn = useMutation({
    mutationFn: (watched: boolean) => read(api.PUT("/sites/{site}/front", { params, body: { watched } })),
    onSuccess,
  });
  if (now.isPending) return <Loading rows={3} />;
  if (now.isError) return <Failed error={now.error} retry={now.refetch} />;
  const f = now.data;
  const rows: [string, string][] = [];
  if (f.at) {
    rows.push([
      "robots.txt",
      f.noRobots ? `none: ${f.noRobots}` : count((f.robots ?? "").trim().split("\n").length, "line", "lines"),
    ]);
    for (const s of f.sitemaps) {
      rows.push(["sitemap", `${s.fault ?? count(s.entries, "entry", "entries")}, ${s.address}`]);
    }
    if (f.ends) rows.push(["certificate", `until ${when(f.ends)}, by ${f.issuer}`]);
    if (f.addresses.length > 0) rows.push(["DNS", f.addresses.join(", ")]);
    for (const h of f.headers) rows.push([h.name, h.value]);
  }
  return (
    <Panel
      title="Besides its pages"
      act={
        <>
          <Text color="fg.muted">
            {f.at ? `looked at ${moment(f.at)}` : "not looked at yet"};{" "}
            {f.next ? `next ${moment(f.next)}` : "not looked at daily"}
          </Text>
          <May as="consultant">
            <Button size="xs" variant="outline" loading={look.isPending} onClick={() => look.mutate()}>
              Look now
            </Button>
            <Button size="xs" variant="ghost" onClick={() => turn.mutate(!f.next)}>
              {f.next ? "Do not look daily" : "Look daily"}
            </Button>
          </May>
        </>
      }
    >
      <Refused error={look.error ?? turn.error} />
      {rows.length > 0 && (
        <Rows heads={["What", "Says"]}>
          {rows.map(([what, says]) => (
            <Table.Row key={what + says} bg="bg.panel">
              <Table.Cell whiteSpace="nowrap">{what}</Table.Cell>
              <Table.Cell overflowWrap="anywhere">{says}</Table.Cell>
            </Table.Row>
          ))}
        </Rows>
      )}
      <Box mt="3">
        <Changes all={f.changes} />
      </Box>
    </Panel>
  );
}
