import { Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, read } from "../../api/client";
import { maintenance } from "../../api/watching";
import { moment } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { May } from "../../ui/May";
import { Panel } from "../../ui/Panel";
import { Failed, Loading, Refused } from "../../ui/States";

/** When the site is worked at: looks count for nothing then, and what changes is expected. */
export function Planned({ site }: { site: string }) {
  const list = useQuery(maintenance(site));
  const client = useQueryClient();
  const [until, setUntil] = useState("");
  const [reason, setReason] = useState("");
  const onSuccess = () => client.invalidateQueries({ queryKey: ["maintenance", site] });
  const add = useMutation({
    mutationFn: () =>
      read(
        api.POST("/sites/{site}/maintenance", {
          params: { path: { site } },
          body: { ends: new Date(until).toISOString(), reason },
        }),
      ),
    onSuccess,
  });
  const end = useMutation({
    mutationFn: (id: number) =>
      api.DELETE("/sites/{site}/maintenance/{maintenance}", { params: { path: { site, maintenance: id } } }),
    onSuccess,
  });
  if (list.isPending) return <Loading rows={1} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <Panel title="Expected">
      {list.data.maintenance.map((m) => (
        <Flex key={m.id} gap="3" align="center">
          <Text>
            {moment(m.began)} to {moment(m.ends)}: {m.reason}
          </Text>
          <May as="consultant">
            <Button size="xs" variant="ghost" onClick={() => end.mutate(m.id)}>
              Not any more
            </Button>
          </May>
        </Flex>
      ))}
      <May as="consultant">
        <form onSubmit={submit}>
          <Flex gap="2" wrap="wrap" align="center">
            <Text>The site is worked at from now until</Text>
            <Blank label="Until when" type="datetime-local" width="13rem" value={until} set={setUntil} />
            <Text>because of</Text>
            <Blank label="Why" hint="a relaunch" width="14rem" value={reason} set={setReason} />
            <Button type="submit" size="xs" variant="outline" disabled={!until} loading={add.isPending}>
              Tell nobody of it
            </Button>
          </Flex>
          <Refused error={add.error ?? end.error} mt="2" />
        </form>
      </May>
    </Panel>
  );
}
