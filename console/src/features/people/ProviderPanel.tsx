import { Button, Code, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, read } from "../../api/client";
import { provider } from "../../api/people";
import type { Provider } from "../../api/types";
import { Blank } from "../../ui/Blank";
import { Panel } from "../../ui/Panel";
import { Failed, Faults, Loading, Refused } from "../../ui/States";

/** The identity provider by which people can sign in. */
export function ProviderPanel() {
  const set = useQuery(provider());
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: () => api.DELETE("/provider"),
    onSuccess: () => client.invalidateQueries({ queryKey: ["provider"] }),
  });
  if (set.isPending) return <Loading rows={2} />;
  if (set.isError) return <Failed error={set.error} retry={set.refetch} />;
  const now = set.data;
  return (
    <Panel title="Sign in by an identity provider">
      {now.issuer ? (
        <Flex gap="3" align="baseline" wrap="wrap" mb="3">
          <Text>
            People sign in by {now.name} ({now.issuer}): who has the mail address of somebody above, which it
            vouches for, is let in.
          </Text>
          <Button size="xs" variant="outline" loading={remove.isPending} onClick={() => remove.mutate()}>
            Let nobody in by it
          </Button>
        </Flex>
      ) : (
        <Text color="fg.muted" mb="3">
          None: people sign in by passwords and passkeys. An agency that has one of its own (OpenID Connect)
          can have them sign in there.
        </Text>
      )}
      <Refused error={remove.error} />
      <Form key={now.issuer} now={now} />
      <Text color="fg.muted" fontSize="sm" mt="2">
        Where it is told of Harvik, browsers are sent back to <Code>{now.back}</Code>
      </Text>
    </Panel>
  );
}

function Form({ now }: { now: Provider }) {
  const client = useQueryClient();
  const [name, setName] = useState(now.name);
  const [issuer, setIssuer] = useState(now.issuer);
  const [known, setKnown] = useState(now.client);
  const [secret, setSecret] = useState("");
  const keep = useMutation({
    mutationFn: () => read(api.PUT("/provider", { body: { name, issuer, client: known, secret } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["provider"] }),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    keep.mutate();
  };
  return (
    <form onSubmit={submit}>
      <Flex gap="2" wrap="wrap" align="center">
        <Blank
          label="How people call it"
          hint="Fernhollow accounts"
          value={name}
          set={setName}
          width="12rem"
          size="sm"
        />
        <Blank
          label="Its address"
          hint="https://id.fernhollow.example"
          value={issuer}
          set={setIssuer}
          width="18rem"
          size="sm"
        />
        <Blank
          label="What it calls Harvik"
          hint="client ID"
          value={known}
          set={setKnown}
          width="10rem"
          size="sm"
        />
        <Blank
          label="The secret for that"
          hint={now.secret ? "secret: stays as it is" : "secret"}
          type="password"
          value={secret}
          set={setSecret}
          width="12rem"
          size="sm"
        />
        <Button type="submit" size="sm" variant="outline" loading={keep.isPending}>
          Set the provider
        </Button>
      </Flex>
      <Faults error={keep.error} />
    </form>
  );
}
