import { Button, Table, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { Credential } from "../../api/types";
import { moment } from "../../lib/time";
import { Rows } from "../../ui/Panel";
import { Refused } from "../../ui/States";

/** By what people are let in: sessions, tokens, links; whose they are, where that is asked. */
export function Credentials({ of: all, whose }: { of: Credential[]; whose?: boolean }) {
  const heads = ["What", "From", "Since", "Last used", "Until", "Do"];
  return (
    <Rows heads={whose ? ["Whose", ...heads] : heads}>
      {all.map((c) => (
        <Row key={c.id} of={c} whose={whose} />
      ))}
    </Rows>
  );
}

/** The token of a data folder, by which commands on its machine are let in. */
const isMachines = (c: Credential) => c.kind === "token" && c.label === "owner";

function Row({ of: c, whose }: { of: Credential; whose?: boolean }) {
  const client = useQueryClient();
  const end = useMutation({
    mutationFn: () => api.DELETE("/credentials/{credential}", { params: { path: { credential: c.id } } }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["credentials"] }),
  });
  return (
    <Table.Row bg="bg.panel">
      {whose && <Table.Cell fontWeight="600">{c.person}</Table.Cell>}
      <Table.Cell>
        {c.kind === "token" ? (isMachines(c) ? "the machine’s own token" : `token ${c.label}`) : c.kind}
        {c.role && `, as ${c.role}`}
        {c.bound && ", at some sites"}
        {c.own && " (this one)"}
        {c.agent && (
          <Text fontSize="sm" color="fg.muted" lineClamp={1}>
            {c.agent}
          </Text>
        )}
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{c.place}</Table.Cell>
      <Table.Cell whiteSpace="nowrap">{moment(c.created)}</Table.Cell>
      <Table.Cell whiteSpace="nowrap">{c.used ? moment(c.used) : "never"}</Table.Cell>
      <Table.Cell whiteSpace="nowrap">{c.expires ? moment(c.expires) : "no end"}</Table.Cell>
      <Table.Cell>
        {!c.own && !isMachines(c) && (
          <Button
            size="xs"
            variant="ghost"
            aria-label={`End ${c.label} ${c.id}${whose ? ` of ${c.person}` : ""}`}
            onClick={() => end.mutate()}
          >
            End
          </Button>
        )}
        <Refused error={end.error} />
      </Table.Cell>
    </Table.Row>
  );
}
