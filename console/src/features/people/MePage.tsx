import { Box, Button, Flex, Heading, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, keepSession, read } from "../../api/client";
import { credentials } from "../../api/people";
import { useMe } from "../../lib/me";
import { Blank } from "../../ui/Blank";
import { Panel } from "../../ui/Panel";
import { Failed, Faults, Loading, Refused } from "../../ui/States";
import { Credentials } from "./Credentials";
import { Passkeys } from "./Passkeys";

/** Whoever is signed in: their name, their password, and by what they are let in. */
export function MePage() {
  const me = useMe();
  const list = useQuery(credentials());
  const client = useQueryClient();
  const others = useMutation({
    mutationFn: () => api.DELETE("/me/sessions"),
    onSuccess: () => client.invalidateQueries({ queryKey: ["credentials"] }),
  });
  if (!me || list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const mine = list.data.credentials.filter((c) => c.person === me.name);
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="75rem">
      <Heading as="h1" size="xl" mb="4">
        {me.name}, {me.role}
      </Heading>
      <Panel title="Name">
        <Name now={me.name} />
      </Panel>
      <Panel title="Password">
        <Password has={me.password} />
      </Panel>
      <Passkeys />
      <Panel
        title="By what you are let in"
        act={
          <Button size="xs" variant="outline" onClick={() => others.mutate()}>
            End all other sessions
          </Button>
        }
      >
        <Refused error={others.error} />
        <Credentials of={mine} />
      </Panel>
    </Box>
  );
}

function Name({ now }: { now: string }) {
  const [name, setName] = useState(now);
  const client = useQueryClient();
  const rename = useMutation({
    mutationFn: () => read(api.PUT("/me", { body: { name } })),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        rename.mutate();
      }}
    >
      <Flex gap="2" align="center" wrap="wrap">
        <Blank label="Your name" value={name} set={setName} width="14rem" size="sm" />
        <Button type="submit" size="sm" variant="outline" loading={rename.isPending}>
          Go by this name
        </Button>
        <Text color="fg.muted">It stands with what you do from now on.</Text>
      </Flex>
      <Faults error={rename.error} />
    </form>
  );
}

function Password({ has }: { has: boolean }) {
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: () => read(api.PUT("/me/password", { body: { old, password: next } })),
    onSuccess: ({ key }) => {
      keepSession(key);
      setOld("");
      setNext("");
      return client.invalidateQueries();
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <Flex gap="2" align="center" wrap="wrap">
        {has && (
          <Blank
            label="Password now"
            hint="now"
            type="password"
            value={old}
            set={setOld}
            width="14rem"
            size="sm"
          />
        )}
        <Blank
          label="New password"
          hint="at least 15 characters"
          type="password"
          value={next}
          set={setNext}
          width="18rem"
          size="sm"
        />
        <Button type="submit" size="sm" variant="outline" loading={change.isPending}>
          {has ? "Change it" : "Choose it"}
        </Button>
        {change.isSuccess && <Text role="status">It is changed; your other sessions are ended.</Text>}
      </Flex>
      <Faults error={change.error} />
    </form>
  );
}
