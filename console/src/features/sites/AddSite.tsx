import { Button, Field, Flex, Heading, Input } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, Problem, read } from "../../api/client";
import { profiles } from "../../api/queries";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";

/** Takes a site under care. */
export function AddSite() {
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
