import { Button, Flex, Input, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, read } from "../../api/client";
import type { Rule, RuleKind, SiteRule } from "../../api/types";
import { rules } from "../../api/watching";
import { Panel, Rows } from "../../ui/Panel";
import { Select } from "../../ui/Select";
import { Failed, Loading, Refused } from "../../ui/States";
import { Tried } from "./Tried";

/** What is told of the site. */
export function Rules({ site }: { site: string }) {
  const list = useQuery(rules(site));
  if (list.isPending) return <Loading rows={6} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  return (
    <Panel title="What is told">
      <Rows heads={["Told when", "From", "Narrowed to", "By", "Change"]}>
        {list.data.rules.map((r) => (
          <Row key={r.name} of={r} />
        ))}
      </Rows>
      <Add site={site} kinds={list.data.kinds} />
    </Panel>
  );
}

const from = (n: number, unit: string | undefined) =>
  unit && n > 0 ? `${n} ${n === 1 ? unit.replace(/s$/, "") : unit}` : "";

function useChanged(site: string) {
  const client = useQueryClient();
  return () => client.invalidateQueries({ queryKey: ["rules", site] });
}

function Row({ of: r }: { of: SiteRule }) {
  const onSuccess = useChanged(r.site);
  const params = { path: { site: r.site, rule: r.name } };
  const turn = useMutation({
    mutationFn: () =>
      read(api.PUT("/sites/{site}/rules/{rule}", { params, body: { ...r.rule, off: !r.rule.off } })),
    onSuccess,
  });
  const reset = useMutation({
    mutationFn: () => api.DELETE("/sites/{site}/rules/{rule}", { params }),
    onSuccess,
  });
  const narrowed = [r.rule.severity, r.rule.group, r.rule.check, r.rule.section, r.rule.question].filter(
    Boolean,
  );
  return (
    <Table.Row bg="bg.panel" color={r.rule.off ? "fg.muted" : undefined}>
      <Table.Cell>
        {r.says}
        {r.name !== r.rule.what && (
          <Text as="span" color="fg.muted">
            {" "}
            ({r.name})
          </Text>
        )}
      </Table.Cell>
      <Table.Cell whiteSpace="nowrap">{from(r.from, r.unit)}</Table.Cell>
      <Table.Cell>{narrowed.join(", ")}</Table.Cell>
      <Table.Cell>{r.rule.off ? "off" : (r.rule.to ?? []).join(", ") || "all ways"}</Table.Cell>
      <Table.Cell whiteSpace="nowrap">
        <Button size="xs" variant="ghost" aria-label={`Switch ${r.name}`} onClick={() => turn.mutate()}>
          {r.rule.off ? "Switch on" : "Switch off"}
        </Button>
        {r.own && (
          <Button size="xs" variant="ghost" aria-label={`Undo ${r.name}`} onClick={() => reset.mutate()}>
            As usual
          </Button>
        )}
        <Refused error={turn.error ?? reset.error} />
      </Table.Cell>
    </Table.Row>
  );
}

function Add({ site, kinds }: { site: string; kinds: RuleKind[] }) {
  const onSuccess = useChanged(site);
  const [what, setWhat] = useState(kinds[0]?.name ?? "");
  const [least, setLeast] = useState("");
  const [section, setSection] = useState("");
  const [question, setQuestion] = useState("");
  const [name, setName] = useState("");
  const kind = kinds.find((k) => k.name === what);
  const takes = (what: string) => kind?.takes.includes(what) ?? false;
  const rule: Rule = {
    what,
    least: kind?.unit ? Number(least || 0) : 0,
    ...(takes("section") && section ? { section } : {}),
    ...(takes("question") ? { question } : {}),
    ...(takes("gate") ? { gate: { minHealth: Number(least || 0) } } : {}),
  };
  const params = { path: { site } };
  const set = useMutation({
    mutationFn: () =>
      read(
        api.PUT("/sites/{site}/rules/{rule}", {
          params: { path: { site, rule: name || what } },
          body: rule,
        }),
      ),
    onSuccess,
  });
  const test = useMutation({
    mutationFn: () => read(api.POST("/sites/{site}/try-rule", { params, body: rule })),
  });
  const error = set.error ?? test.error;
  const faults = error instanceof Problem ? error.faults : [];
  const input = (label: string, hint: string, value: string, change: (v: string) => void, width: string) => (
    <Input
      size="xs"
      bg="bg.panel"
      width={width}
      aria-label={label}
      placeholder={hint}
      value={value}
      onChange={(e) => change(e.target.value)}
    />
  );
  return (
    <>
      <Flex gap="2" mt="3" wrap="wrap" align="center">
        <Text>Tell when</Text>
        <Select
          label="What is told"
          size="xs"
          width="22rem"
          value={what}
          options={kinds.map((k) => [k.name, k.says] as const)}
          set={setWhat}
        />
        {kind?.unit && input("From which number on", `${kind.least} ${kind.unit}`, least, setLeast, "9rem")}
        {takes("gate") && input("Health that a crawl has to have", "health 85", least, setLeast, "7rem")}
        {takes("section") && input("In which section", "in /shop/", section, setSection, "8rem")}
        {takes("question") &&
          input("Question of pages", "words < 50 && indexable", question, setQuestion, "18rem")}
        {input("Name of the rule", "name", name, setName, "8rem")}
        <Button size="xs" variant="outline" loading={test.isPending} onClick={() => test.mutate()}>
          Try it on what has been
        </Button>
        <Button
          size="xs"
          bg="accent"
          color="accent.text"
          loading={set.isPending}
          onClick={() => set.mutate()}
        >
          Set the rule
        </Button>
      </Flex>
      {faults.map((f) => (
        <Text key={f.field} color="severity.error" mt="1">
          {f.reason}
        </Text>
      ))}
      {faults.length === 0 && <Refused error={error} mt="2" />}
      {test.data && <Tried of={test.data} />}
    </>
  );
}
