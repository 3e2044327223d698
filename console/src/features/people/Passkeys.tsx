import { Button, Flex, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { passkeys } from "../../api/people";
import { knowsPasskeys, makePasskey } from "../../lib/passkey";
import { moment } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { Panel, Rows } from "../../ui/Panel";
import { Refused } from "../../ui/States";

/** What somebody signs in by instead of a password. */
export function Passkeys() {
  const list = useQuery(passkeys()).data?.passkeys ?? [];
  const [name, setName] = useState("");
  const client = useQueryClient();
  const onSuccess = () => {
    setName("");
    return client.invalidateQueries({ queryKey: ["passkeys"] });
  };
  const make = useMutation({ mutationFn: () => makePasskey(name || "this machine"), onSuccess });
  const remove = useMutation({
    mutationFn: (id: number) => api.DELETE("/me/passkeys/{passkey}", { params: { path: { passkey: id } } }),
    onSuccess,
  });
  return (
    <Panel title="Passkeys">
      {list.length > 0 && (
        <Rows heads={["Name", "Since", "Last used", "Do"]}>
          {list.map((k) => (
            <Table.Row key={k.id} bg="bg.panel">
              <Table.Cell>{k.name}</Table.Cell>
              <Table.Cell>{moment(k.created)}</Table.Cell>
              <Table.Cell>{k.used ? moment(k.used) : "never"}</Table.Cell>
              <Table.Cell>
                <Button
                  size="xs"
                  variant="ghost"
                  aria-label={`Forget passkey ${k.name}`}
                  onClick={() => remove.mutate(k.id)}
                >
                  Forget
                </Button>
              </Table.Cell>
            </Table.Row>
          ))}
        </Rows>
      )}
      {knowsPasskeys() ? (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          <Flex gap="2" align="center" mt="2" wrap="wrap">
            <Blank
              label="Name of the passkey"
              hint="this machine"
              value={name}
              set={setName}
              width="12rem"
              size="sm"
            />
            <Button type="submit" size="sm" variant="outline" loading={make.isPending}>
              Make a passkey
            </Button>
            <Text color="fg.muted">It signs in by what this machine asks for: a finger, a face, a PIN.</Text>
          </Flex>
        </form>
      ) : (
        <Text color="fg.muted">This browser knows none, or not at this address.</Text>
      )}
      <Refused error={make.error ?? remove.error} mt="2" />
    </Panel>
  );
}
