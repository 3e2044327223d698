import { Box, Button, Flex, Link, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";
import { api, read } from "../../api/client";
import type { Watched } from "../../api/types";
import { watches } from "../../api/watching";
import { whole } from "../../lib/format";
import { availability, lasting } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Failed, Loading, Refused } from "../../ui/States";
import { Watching } from "./Watching";

/** The addresses that are looked at every few minutes. */
export function Addresses({ site, opened }: { site: string; opened: string }) {
  const list = useQuery(watches(site));
  const [, setAt] = useSearchParams();
  if (list.isPending) return <Loading rows={3} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const all = list.data.watches;
  const one = all.find((w) => w.name === opened);
  const open = (name: string) => setAt(name === opened ? {} : { watch: name }, { replace: true });
  return (
    <Panel title="Watched addresses">
      {all.length > 0 && (
        <Rows heads={["Address", "Stands", ">For", ">Available", ">Median", ">Every", "Change"]}>
          {all.map((w) => (
            <Row key={w.name} of={w} open={() => open(w.name)} />
          ))}
        </Rows>
      )}
      {one && <Watching key={one.name} of={one} close={() => open(one.name)} />}
      <May as="consultant">
        <Add site={site} />
      </May>
    </Panel>
  );
}

function useChanged() {
  const client = useQueryClient();
  return () => {
    client.invalidateQueries({ queryKey: ["watches"] });
    client.invalidateQueries({ queryKey: ["care"] });
  };
}

function Row({ of: w, open }: { of: Watched; open: () => void }) {
  const onSuccess = useChanged();
  const params = { path: { site: w.site, watch: w.name } };
  const remove = useMutation({
    mutationFn: () => api.DELETE("/sites/{site}/watches/{watch}", { params }),
    onSuccess,
  });
  const pause = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/sites/{site}/watches/{watch}", { params, body: { ...w.watch, paused: !w.watch.paused } }),
      ),
    onSuccess,
  });
  const stands = w.watch.paused ? "paused" : w.down ? `down: ${w.reason}` : w.at ? "up" : "not looked at yet";
  return (
    <Table.Row bg="bg.panel">
      <Table.Cell overflowWrap="anywhere">
        <Link as="button" color="accent" fontWeight="600" onClick={open}>
          {w.name}
        </Link>
        <Text fontSize="sm" color="fg.muted">
          {w.watch.address}
        </Text>
      </Table.Cell>
      <Table.Cell fontWeight={w.down ? "600" : undefined}>{stands}</Table.Cell>
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {w.since && !w.watch.paused ? lasting(w.since) : ""}
      </Table.Cell>
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {availability(w.available)}
      </Table.Cell>
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {w.median ? `${whole(w.median)} ms` : "–"}
      </Table.Cell>
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {w.watch.every} min
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">
        <May as="consultant">
          <Button size="xs" variant="ghost" onClick={() => pause.mutate()} aria-label={`Pause ${w.name}`}>
            {w.watch.paused ? "Resume" : "Pause"}
          </Button>
          <Button size="xs" variant="ghost" onClick={() => remove.mutate()} aria-label={`Remove ${w.name}`}>
            Remove
          </Button>
        </May>
        <Refused error={remove.error ?? pause.error} />
      </Table.Cell>
    </Table.Row>
  );
}

/** A name for an address, as the command line makes it. */
const nameOf = (address: string): string =>
  address
    .replace(/^https?:\/\/[^/]+/, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")
    .slice(-60) || "home";

function Add({ site }: { site: string }) {
  const onSuccess = useChanged();
  const [address, setAddress] = useState("");
  const [every, setEvery] = useState("5");
  const [must, setMust] = useState("");
  const add = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/sites/{site}/watches/{watch}", {
          params: { path: { site, watch: nameOf(address || "/") } },
          body: { address: address || "/", every: Number(every), must },
        }),
      ),
    onSuccess: () => {
      setAddress("");
      setMust("");
      onSuccess();
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <Box asChild mt="3">
      <form onSubmit={submit}>
        <Flex gap="2" wrap="wrap" align="center">
          <Text>Watch</Text>
          <Blank label="Address to watch" hint="/ or /shop/" value={address} set={setAddress} width="16rem" />
          <Text>every</Text>
          <Blank
            label="Minutes between two looks"
            hint="5"
            value={every}
            set={setEvery}
            width="5rem"
            type="number"
          />
          <Text>minutes; there has to stand</Text>
          <Blank
            label="Text that has to stand there"
            hint="Opening hours"
            value={must}
            set={setMust}
            width="12rem"
          />
          <Button type="submit" size="xs" bg="accent" color="accent.text" loading={add.isPending}>
            Watch it
          </Button>
        </Flex>
        <Refused error={add.error} mt="2" />
      </form>
    </Box>
  );
}
