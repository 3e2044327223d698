import { Box, Button, Code, Heading, Link, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { api, read } from "../../api/client";
import { credentials, people } from "../../api/people";
import type { Invitation, Person } from "../../api/types";
import { useMe } from "../../lib/me";
import { moment } from "../../lib/time";
import { Panel, Rows } from "../../ui/Panel";
import { Failed, Loading, Refused } from "../../ui/States";
import { Credentials } from "./Credentials";
import { PersonForm } from "./PersonForm";
import { ProviderPanel } from "./ProviderPanel";

/** Who works here, what each may, and how to let others in. */
export function PeoplePage() {
  const list = useQuery(people());
  const [invited, setInvited] = useState<Invitation>();
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="75rem">
      <Heading as="h1" size="xl" mb="4">
        People
      </Heading>
      {invited && <Invited of={invited} />}
      <Panel
        title="Who works here"
        act={
          <Link asChild color="accent">
            <RouterLink to="/trail">Who changed what</RouterLink>
          </Link>
        }
      >
        <Rows heads={["Name", "Role", "Sites", "Mail", "Last here", "Do"]}>
          {list.data.people.map((p) => (
            <Row key={p.id} of={p} invite={setInvited} />
          ))}
        </Rows>
      </Panel>
      <Panel title="Let somebody in">
        <PersonForm done={setInvited} />
      </Panel>
      <Others />
      <ProviderPanel />
      <Panel title="Roles">
        <Box as="ul" listStyleType="disc" ps="5">
          {list.data.roles.map((r) => (
            <li key={r.role}>
              <b>{r.role}</b> {r.says}
            </li>
          ))}
        </Box>
      </Panel>
    </Box>
  );
}

/** By what others are let in now. */
function Others() {
  const me = useMe();
  const list = useQuery(credentials());
  const others = list.data?.credentials.filter((c) => c.person !== me?.name) ?? [];
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  if (others.length === 0) return null;
  return (
    <Panel title="By what others are let in">
      <Credentials of={others} whose />
    </Panel>
  );
}

/** A link that is shown this once. */
function Invited({ of: i }: { of: Invitation }) {
  return (
    <Box role="status" borderWidth="1px" rounded="sm" bg="accent.soft" px="4" py="3" mb="5">
      <Text>
        By this link {i.person.name} chooses a password; it works once, until {moment(i.until)}, and is shown
        nowhere again.{" "}
        {i.mailed
          ? `It was sent to ${i.person.mail}.`
          : `Send it by a way that others do not read.${i.refused ? ` But ${i.refused}.` : ""}`}
      </Text>
      <Code bg="bg.panel" overflowWrap="anywhere" my="2" display="block" p="2" aria-label="The link">
        {i.link}
      </Code>
      <Button size="xs" variant="outline" bg="bg.panel" onClick={() => navigator.clipboard.writeText(i.link)}>
        Copy it
      </Button>
    </Box>
  );
}

/** What is given to somebody, in words. */
function placesOf(p: Person) {
  if (p.role === "owner" || p.everywhere) return "all";
  const some = [...(p.sites ?? []), ...(p.groups ?? []).map((g) => `group ${g}`)];
  return some.join(", ") || "none yet";
}

function Row({ of: p, invite }: { of: Person; invite: (i: Invitation) => void }) {
  const me = useMe();
  const client = useQueryClient();
  const [changing, setChanging] = useState(false);
  const params = { path: { person: p.id } };
  const onSuccess = () => {
    client.invalidateQueries({ queryKey: ["credentials"] });
    return client.invalidateQueries({ queryKey: ["people"] });
  };
  const link = useMutation({
    mutationFn: () => read(api.POST("/people/{person}/invitation", { params })),
    onSuccess: (i) => {
      invite(i);
      return onSuccess();
    },
  });
  const end = useMutation({ mutationFn: () => api.DELETE("/people/{person}", { params }), onSuccess });
  const act = (words: string, onClick: () => void) => (
    <Button size="xs" variant="ghost" aria-label={`${words}: ${p.name}`} onClick={onClick}>
      {words}
    </Button>
  );
  const [ending, setEnding] = useState(false);
  return (
    <>
      <Table.Row bg="bg.panel">
        <Table.Cell fontWeight="600">
          {p.name}
          {p.id === me?.person && " (you)"}
        </Table.Cell>
        <Table.Cell>
          {p.role}
          {p.role === "client" && (p.lists ? ", with fix lists" : ", without fix lists")}
        </Table.Cell>
        <Table.Cell overflowWrap="anywhere">{placesOf(p)}</Table.Cell>
        <Table.Cell overflowWrap="anywhere">{p.mail}</Table.Cell>
        <Table.Cell whiteSpace="nowrap">
          {p.seen ? moment(p.seen) : p.invited ? `invited until ${moment(p.invited)}` : "never"}
        </Table.Cell>
        <Table.Cell whiteSpace="nowrap">
          {act("Change", () => setChanging(!changing))}
          {act(p.ready ? "New password" : "New link", () => link.mutate())}
          {p.id !== me?.person &&
            (ending ? act("Let in no more", () => end.mutate()) : act("End…", () => setEnding(true)))}
          <Refused error={link.error ?? end.error} />
        </Table.Cell>
      </Table.Row>
      {changing && (
        <Table.Row bg="bg.subtle">
          <Table.Cell colSpan={6}>
            <PersonForm of={p} done={() => setChanging(false)} />
          </Table.Cell>
        </Table.Row>
      )}
    </>
  );
}
