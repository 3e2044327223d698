import { Box, Button, Checkbox, Field, Flex, Input, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, planText, read } from "../../api/client";
import type { Check, Plan } from "../../api/types";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";
import { TrialResult } from "../../ui/TrialResult";
import { judgingOf, rulesWith } from "./rules";

interface Props {
  site: string;
  check: Check;
  plan: Plan;
  crawled: boolean;
}

/** How a check is judged on a site: shown what it would come to before it is kept. */
export function CheckRules({ site, check, plan, crawled }: Props) {
  const [form, setForm] = useState(() => judgingOf(plan, check, ""));
  const client = useQueryClient();
  const put = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const changes = () => planText(JSON.stringify({ checks: rulesWith(plan, check.id, form) }));
  const attempt = useMutation({
    mutationFn: () =>
      read(
        api.POST("/sites/{site}/crawls/{crawl}/try", {
          params: { path: { site, crawl: "latest" } },
          ...changes(),
        }),
      ),
  });
  const keep = useMutation({
    mutationFn: async (judge: boolean) => {
      await read(api.PATCH("/sites/{site}/plan", { params: { path: { site } }, ...changes() }));
      if (judge) {
        await read(
          api.POST("/sites/{site}/crawls/{crawl}/judge", { params: { path: { site, crawl: "latest" } } }),
        );
      }
    },
    onSuccess: () => client.invalidateQueries(),
  });
  const elsewhere = (plan.checks ?? []).filter((r) => r.check === check.id && r.on);
  return (
    <Box as="section" aria-label={`How ${check.id} is judged here`} borderWidth="1px" rounded="sm" p="3">
      <Flex gap="3" wrap="wrap" align="end">
        <Field.Root width="14rem">
          <Field.Label>On which pages</Field.Label>
          <Input
            size="sm"
            value={form.on}
            placeholder="all; such as /archive/*"
            list={`on-${check.id}`}
            onChange={(e) => {
              const on = e.target.value;
              const known = elsewhere.some((r) => r.on === on);
              setForm(known || on === "" ? judgingOf(plan, check, on) : { ...form, on });
            }}
          />
          <datalist id={`on-${check.id}`}>
            {elsewhere.map((r) => (
              <option key={r.on} value={r.on} />
            ))}
          </datalist>
        </Field.Root>
        <Field.Root width="11rem">
          <Field.Label>Severity</Field.Label>
          <Select
            value={form.severity}
            set={(severity) => put({ severity })}
            options={[
              ["", `as usual: ${check.severity}`],
              ["error", "error"],
              ["warning", "warning"],
              ["notice", "notice"],
            ]}
          />
        </Field.Root>
        <Field.Root width="7rem">
          <Field.Label>Weight</Field.Label>
          <Input
            size="sm"
            inputMode="decimal"
            placeholder={String(check.factor)}
            value={form.factor}
            onChange={(e) => put({ factor: e.target.value })}
          />
        </Field.Root>
        {check.limits.map((l) => (
          <Field.Root key={l.name} width="12rem">
            <Field.Label>
              {l.name}
              {l.unit && `, ${l.unit}`}
            </Field.Label>
            <Input
              size="sm"
              inputMode="numeric"
              placeholder={String(l.default)}
              value={form.limits[l.name] ?? ""}
              onChange={(e) => put({ limits: { ...form.limits, [l.name]: e.target.value } })}
            />
          </Field.Root>
        ))}
        <Checkbox.Root checked={form.off} onCheckedChange={(e) => put({ off: e.checked === true })} pb="1.5">
          <Checkbox.HiddenInput />
          <Checkbox.Control />
          <Checkbox.Label>do not judge it</Checkbox.Label>
        </Checkbox.Root>
        <Field.Root flex="1" minW="16rem" required>
          <Field.Label>Why</Field.Label>
          <Input
            size="sm"
            value={form.because}
            placeholder="kept with every crawl"
            onChange={(e) => put({ because: e.target.value })}
          />
        </Field.Root>
      </Flex>
      <Flex gap="2" mt="3" align="center" wrap="wrap">
        <Button
          size="xs"
          variant="outline"
          disabled={!crawled}
          loading={attempt.isPending}
          onClick={() => attempt.mutate()}
        >
          What it would change
        </Button>
        <Button size="xs" variant="outline" loading={keep.isPending} onClick={() => keep.mutate(false)}>
          Keep it for the next crawl
        </Button>
        <Button
          size="xs"
          bg="accent"
          color="accent.text"
          disabled={!crawled}
          loading={keep.isPending}
          onClick={() => keep.mutate(true)}
        >
          Keep it and judge anew
        </Button>
        {keep.isSuccess && <Text role="status">Kept.</Text>}
      </Flex>
      {attempt.data && <TrialResult trial={attempt.data} />}
      <Refused error={attempt.error ?? keep.error} mt="2" />
    </Box>
  );
}
