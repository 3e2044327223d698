import { Box, Button, Code, Flex, Heading, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, read } from "../../api/client";
import type { Way } from "../../api/types";
import { ways } from "../../api/watching";
import { moment } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Select } from "../../ui/Select";
import { Failed, Faults, Loading, Refused } from "../../ui/States";

/** Who is told, and how. */
export function WaysPage() {
  const list = useQuery(ways());
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="75rem">
      <Heading as="h1" size="xl" mb="4">
        Who is told, and how
      </Heading>
      <Panel
        title="Ways"
        rows={list.data.ways.length}
        none="None yet: what is told stands in the inbox alone."
      >
        <Rows heads={["Way", "By", "To", "Of", "Left alone", "Last", ">Waiting", "Do"]}>
          {list.data.ways.map((w) => (
            <Row key={w.name} of={w} />
          ))}
        </Rows>
      </Panel>
      <May as="owner">
        <Add />
      </May>
      <Text color="fg.muted" mt="4">
        Mail needs a server: <Code>harvik way mail</Code> sets it.
      </Text>
    </Box>
  );
}

function useChanged() {
  const client = useQueryClient();
  return () => client.invalidateQueries({ queryKey: ["ways"] });
}

function Row({ of: w }: { of: Way }) {
  const onSuccess = useChanged();
  const params = { path: { way: w.name } };
  const test = useMutation({
    mutationFn: () => read(api.POST("/ways/{way}/test", { params })),
    onSuccess: () => setTimeout(onSuccess, 2000),
  });
  const remove = useMutation({ mutationFn: () => api.DELETE("/ways/{way}", { params }), onSuccess });
  return (
    <Table.Row bg="bg.panel">
      <Table.Cell fontWeight="600">{w.name}</Table.Cell>
      <Table.Cell>
        {w.way.kind}
        {w.signed && ", signed"}
      </Table.Cell>
      <Table.Cell overflowWrap="anywhere">
        {w.way.address}
        {w.failed > 0 && (
          <Text fontSize="sm" color="severity.error">
            {w.failed} not sent yet: {w.error}
          </Text>
        )}
      </Table.Cell>
      <Table.Cell>{(w.way.sites ?? []).join(", ") || "all sites"}</Table.Cell>
      <Table.Cell>
        {w.way.quiet}
        {w.way.quiet && w.way.wake && ", not for what is urgent"}
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{w.last ? moment(w.last) : "nothing yet"}</Table.Cell>
      <Table.Cell textAlign="end">{w.waiting}</Table.Cell>
      <Table.Cell whiteSpace="nowrap">
        <May as="owner">
          {w.way.kind !== "feed" && (
            <Button size="xs" variant="ghost" loading={test.isPending} onClick={() => test.mutate()}>
              Test
            </Button>
          )}
          <Button size="xs" variant="ghost" aria-label={`Remove ${w.name}`} onClick={() => remove.mutate()}>
            Remove
          </Button>
        </May>
        <Refused error={test.error ?? remove.error} />
      </Table.Cell>
    </Table.Row>
  );
}

const kinds = [
  ["mail", "mail to"],
  ["webhook", "webhook to"],
  ["feed", "feed"],
] as const;

function Add() {
  const onSuccess = useChanged();
  const [kind, setKind] = useState<(typeof kinds)[number][0]>("mail");
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [quiet, setQuiet] = useState("");
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const add = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/ways/{way}", {
          params: { path: { way: name } },
          body: { kind, address: kind === "feed" ? "" : address, quiet, zone, wake: true },
        }),
      ),
    onSuccess,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <form onSubmit={submit}>
      <Flex gap="2" wrap="wrap" align="center">
        <Text>Tell</Text>
        <Blank label="Name of the way" hint="ash" value={name} set={setName} width="8rem" size="sm" />
        <Text>by</Text>
        <Select label="By what" width="9rem" value={kind} options={kinds} set={setKind} />
        {kind !== "feed" && (
          <Blank
            label="Address"
            hint={kind === "mail" ? "ash@fernhollow.example" : "https://board.fernhollow.example/told"}
            value={address}
            set={setAddress}
            width="22rem"
            size="sm"
          />
        )}
        <Blank
          label="Hours in which only what is urgent is told"
          hint="quiet 22:00-07:00"
          value={quiet}
          set={setQuiet}
          width="10rem"
          size="sm"
        />
        <Button type="submit" size="sm" bg="accent" color="accent.text" loading={add.isPending}>
          Set the way
        </Button>
      </Flex>
      <Faults error={add.error} />
      {add.data?.feed && (
        <Text mt="2">
          The address of the feed, told once: <Code>{location.origin + add.data.feed}</Code>
        </Text>
      )}
    </form>
  );
}
