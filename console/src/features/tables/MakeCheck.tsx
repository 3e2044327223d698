import { Box, Button, Field, Flex, Input, Link, Text, Textarea } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { api, asText, read } from "../../api/client";
import { checks } from "../../api/queries";
import type { FactTable } from "../../api/types";
import { DialogFrame } from "../../ui/DialogFrame";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";
import { TrialResult } from "../../ui/TrialResult";
import { checkFile, unsaid } from "./checkFile";

interface Props {
  site: string;
  crawl: string;
  table: FactTable;
  question: string;
  close: () => void;
}

/** Makes a check of a question: what it means where it holds. Examples are rows of the crawl itself. */
export function MakeCheck({ site, crawl, table, question, close }: Props) {
  const known = useQuery(checks());
  const [form, setForm] = useState(unsaid);
  const client = useQueryClient();
  const put = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const file = () => checkFile(site, crawl, table, question, form);
  const attempt = useMutation({
    mutationFn: async () =>
      read(
        api.POST("/sites/{site}/crawls/{crawl}/try", {
          params: { path: { site, crawl }, query: { add: true } },
          body: (await file()) as unknown as Record<string, unknown>,
          ...asText("application/yaml"),
        }),
      ),
  });
  const add = useMutation({
    mutationFn: async (judge: boolean) => {
      await read(
        api.POST("/sites/{site}/checks", {
          params: { path: { site } },
          body: (await file()) as unknown as Record<string, unknown>,
          ...asText("application/yaml"),
        }),
      );
      if (judge) {
        await read(api.POST("/sites/{site}/crawls/{crawl}/judge", { params: { path: { site, crawl } } }));
      }
    },
    onSuccess: () => client.invalidateQueries(),
  });
  const ready = form.name && form.title.length > 4 && form.why.length > 4 && form.how.length > 4;
  return (
    <DialogFrame
      title="Make it a check"
      size="lg"
      scrolls
      close={close}
      buttons={
        <>
          <Button size="sm" variant="outline" onClick={close}>
            {add.isSuccess ? "Close" : "Cancel"}
          </Button>
          <Button
            size="sm"
            variant="outline"
            loading={attempt.isPending}
            disabled={!ready}
            onClick={() => attempt.mutate()}
          >
            Try it
          </Button>
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            loading={add.isPending}
            disabled={!ready || add.isSuccess}
            onClick={() => add.mutate(true)}
          >
            Add it and judge anew
          </Button>
        </>
      }
    >
      <Text mb="3" fontFamily="mono" fontSize="sm" overflowWrap="anywhere">
        {table.name}: {question}
      </Text>
      <Flex gap="3" wrap="wrap" mb="3">
        <Field.Root required width="16rem">
          <Field.Label>Name</Field.Label>
          <Input
            size="sm"
            value={form.name}
            placeholder="plant-short"
            onChange={(e) => put({ name: e.target.value })}
          />
          <Field.HelperText>own-{form.name || "…"}</Field.HelperText>
        </Field.Root>
        <Choice
          label="Group"
          value={form.group}
          set={(group) => put({ group })}
          list={known.data?.groups ?? ["copy"]}
        />
        <Choice
          label="Severity"
          value={form.severity}
          set={(severity) => put({ severity })}
          list={["error", "warning", "notice"]}
        />
        <Choice
          label="A repair takes"
          value={form.effort}
          set={(effort) => put({ effort })}
          list={["minutes", "hours", "days"]}
        />
      </Flex>
      <Field.Root mb="3" required>
        <Field.Label>What is wrong, as lists say it</Field.Label>
        <Input
          size="sm"
          value={form.title}
          placeholder="plant page that says too little"
          onChange={(e) => put({ title: e.target.value })}
        />
      </Field.Root>
      <Field.Root mb="3" required>
        <Field.Label>Why it matters</Field.Label>
        <Textarea size="sm" rows={2} value={form.why} onChange={(e) => put({ why: e.target.value })} />
      </Field.Root>
      <Field.Root mb="3" required>
        <Field.Label>How to put it right</Field.Label>
        <Textarea size="sm" rows={2} value={form.how} onChange={(e) => put({ how: e.target.value })} />
      </Field.Root>
      <Text fontSize="sm" color="fg.muted">
        Its examples are a row of this crawl of which the question holds, and one of which it does not.
      </Text>
      {attempt.data && <TrialResult trial={attempt.data} />}
      <Refused error={attempt.error ?? add.error} mt="3" />
      {add.isSuccess && (
        <Box role="status" mt="3">
          {site} has the check own-{form.name}.{" "}
          <Link asChild color="accent">
            <RouterLink to={`/sites/${site}/${crawl}/fixes?check=own-${form.name}`}>See its fixes</RouterLink>
          </Link>
        </Box>
      )}
    </DialogFrame>
  );
}

function Choice(p: { label: string; value: string; set: (v: string) => void; list: string[] }) {
  return (
    <Field.Root width="9rem">
      <Field.Label>{p.label}</Field.Label>
      <Select value={p.value} set={p.set} options={p.list.map((v) => [v, v] as const)} />
    </Field.Root>
  );
}
