import { Box, Button, Field, Flex, Heading, Input, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api } from "../../api/client";
import { secrets } from "../../api/queries";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

/** The secrets that gates use. They go in, and only crawls take them out. */
export function Secrets({ site }: { site: string }) {
  const list = useQuery(secrets(site));
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [host, setHost] = useState("");
  const [value, setValue] = useState("");
  const refresh = () => client.invalidateQueries({ queryKey: ["sites", site, "secrets"] });
  const set = useMutation({
    mutationFn: () =>
      api.PUT("/sites/{site}/secrets/{secret}", {
        params: { path: { site, secret: name } },
        body: { host, value },
      }),
    onSuccess: () => {
      setName("");
      setValue("");
      refresh();
    },
  });
  const remove = useMutation({
    mutationFn: (gone: string) =>
      api.DELETE("/sites/{site}/secrets/{secret}", { params: { path: { site, secret: gone } } }),
    onSuccess: refresh,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    set.mutate();
  };
  return (
    <Box as="section" aria-label="Secrets" mt="5">
      <Heading as="h2" size="sm" mb="1">
        Secrets for gates
      </Heading>
      <Text color="fg.muted" fontSize="sm" mb="2">
        Kept encrypted, sent to their one host only, never shown again.
      </Text>
      {list.data?.map((s) => (
        <Flex key={s.name} gap="3" align="center" mb="1">
          <b>{s.name}</b> <Text color="fg.muted">for {s.host}</Text>
          <May as="owner">
            <Button
              size="xs"
              variant="outline"
              ml="auto"
              aria-label={`Delete ${s.name}`}
              onClick={() => remove.mutate(s.name)}
            >
              Delete
            </Button>
          </May>
        </Flex>
      ))}
      <May as="owner">
        <form onSubmit={submit}>
          <Flex gap="2" wrap="wrap" align="flex-end">
            <Entry label="Name" value={name} set={setName} width="8rem" />
            <Entry label="Host (home page's if empty)" value={host} set={setHost} width="12rem" />
            <Entry label="Secret" value={value} set={setValue} width="10rem" type="password" />
            <Button type="submit" size="sm" variant="outline" loading={set.isPending}>
              Keep
            </Button>
          </Flex>
        </form>
      </May>
      <Refused error={set.error} mt="2" />
    </Box>
  );
}

interface EntryProps {
  label: string;
  value: string;
  set: (value: string) => void;
  width: string;
  type?: string;
}

function Entry({ label, value, set, width, type }: EntryProps) {
  return (
    <Field.Root width={width}>
      <Field.Label fontSize="sm">{label}</Field.Label>
      <Input
        size="sm"
        bg="bg.panel"
        type={type}
        autoComplete={type === "password" ? "new-password" : "off"}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </Field.Root>
  );
}
