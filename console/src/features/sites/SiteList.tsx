import { Box, Button, Field, Flex, Heading, Input, Link, Table } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { api, Problem, read } from "../../api/client";
import { profiles, sites } from "../../api/queries";
import { points, whole } from "../../lib/format";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading, Refused } from "../../ui/States";

export function SiteList() {
  const list = useQuery(sites());
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="4">
        Sites
      </Heading>
      {list.data.length === 0 ? (
        <Empty title="No site yet">Add the first one below; then look over its plan and crawl it.</Empty>
      ) : (
        <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel" mb="8">
          <Table.Root size="sm" interactive bg="bg.panel">
            <Table.Header>
              <Table.Row bg="bg.subtle">
                <Table.ColumnHeader>Site</Table.ColumnHeader>
                <Table.ColumnHeader>Home</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">Crawls</Table.ColumnHeader>
                <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {list.data.map((s) => (
                <Table.Row key={s.name} bg="bg.panel">
                  <Table.Cell>
                    <Link asChild color="accent" fontWeight="600">
                      <RouterLink to={`/sites/${s.name}`}>{s.name}</RouterLink>
                    </Link>
                  </Table.Cell>
                  <Table.Cell>{s.home}</Table.Cell>
                  <Table.Cell textAlign="end">{whole(s.crawls)}</Table.Cell>
                  <Table.Cell textAlign="end">
                    {s.health === undefined ? (
                      "–"
                    ) : (
                      <Link asChild color="accent">
                        <RouterLink to={`/sites/${s.name}/${s.latest}`}>{points(s.health)}</RouterLink>
                      </Link>
                    )}
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
      <AddSite />
    </Box>
  );
}

function AddSite() {
  const [name, setName] = useState("");
  const [home, setHome] = useState("");
  const [profile, setProfile] = useState("");
  const known = useQuery(profiles());
  const client = useQueryClient();
  const navigate = useNavigate();
  const add = useMutation({
    mutationFn: () => read(api.POST("/sites", { body: { name, home, profile } })),
    onSuccess: (site) => {
      client.invalidateQueries({ queryKey: ["sites"] });
      navigate(`/sites/${site.name}`);
    },
  });
  const faults = add.error instanceof Problem ? add.error.faults : [];
  const fault = (field: string) => faults.find((f) => f.field === field)?.reason;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <form onSubmit={submit}>
      <Heading as="h2" size="md" mb="3">
        Take a site under care
      </Heading>
      <Flex gap="3" wrap="wrap" align="flex-start">
        <Field.Root invalid={!!fault("name")} width="14rem">
          <Field.Label>Name</Field.Label>
          <Input
            size="sm"
            bg="bg.panel"
            value={name}
            placeholder="fernhollow"
            onChange={(e) => setName(e.target.value)}
          />
          <Field.ErrorText>{fault("name")}</Field.ErrorText>
        </Field.Root>
        <Field.Root invalid={!!fault("home")} width="24rem" maxW="100%">
          <Field.Label>Home address</Field.Label>
          <Input
            size="sm"
            bg="bg.panel"
            value={home}
            placeholder="https://fernhollow.example/"
            onChange={(e) => setHome(e.target.value)}
          />
          <Field.ErrorText>{fault("home")}</Field.ErrorText>
        </Field.Root>
        <Field.Root width="16rem" maxW="100%">
          <Field.Label>Kind of site</Field.Label>
          <Select
            label="Kind of site"
            value={profile}
            set={setProfile}
            options={[
              ["", "any; start from the defaults"],
              ...(known.data?.profiles ?? []).map((p) => [p.name, p.say] as const),
            ]}
          />
        </Field.Root>
        <Button type="submit" size="sm" mt="6" bg="accent" color="accent.text" loading={add.isPending}>
          Add site
        </Button>
      </Flex>
      {faults.length === 0 && <Refused error={add.error} mt="2" />}
    </form>
  );
}
