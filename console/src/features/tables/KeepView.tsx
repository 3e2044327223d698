import { Button, Field, Input, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, read } from "../../api/client";
import { DialogFrame } from "../../ui/DialogFrame";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";

interface Props {
  site: string;
  asked: { of: string; question: string; columns: string; order: string; by: string; measure: string };
  close: () => void;
}

/** Keeps a question, with how its answer is shown, under a name. */
export function KeepView({ site, asked, close }: Props) {
  const [name, setName] = useState("");
  const [say, setSay] = useState("");
  const [whose, setWhose] = useState<"all" | "site">("site");
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/views/{view}", {
          params: { path: { view: name }, query: whose === "site" ? { site } : {} },
          body: {
            say,
            of: asked.of,
            question: asked.question,
            columns: asked.columns ? asked.columns.split(",") : undefined,
            order: asked.order || undefined,
            by: asked.by || undefined,
            measure: asked.measure || undefined,
          },
        }),
      ),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["views"] });
      close();
    },
  });
  return (
    <DialogFrame
      title="Keep as a view"
      size="md"
      close={close}
      buttons={
        <>
          <Button size="sm" variant="outline" onClick={close}>
            Cancel
          </Button>
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            loading={keep.isPending}
            disabled={!name.trim()}
            onClick={() => keep.mutate()}
          >
            Keep it
          </Button>
        </>
      }
    >
      <Text mb="3" fontFamily="mono" fontSize="sm" overflowWrap="anywhere">
        {asked.of}: {asked.question || "all"}
      </Text>
      <Field.Root mb="3" required>
        <Field.Label>Name</Field.Label>
        <Input size="sm" value={name} placeholder="thin-plants" onChange={(e) => setName(e.target.value)} />
        <Field.HelperText>small letters, digits and hyphens</Field.HelperText>
      </Field.Root>
      <Field.Root mb="3">
        <Field.Label>What it asks</Field.Label>
        <Input size="sm" value={say} onChange={(e) => setSay(e.target.value)} />
      </Field.Root>
      <Field.Root>
        <Field.Label>For</Field.Label>
        <Select
          value={whose}
          set={setWhose}
          options={[
            ["site", `${site} alone`],
            ["all", "all sites"],
          ]}
        />
      </Field.Root>
      <Refused error={keep.error} mt="3" />
    </DialogFrame>
  );
}
