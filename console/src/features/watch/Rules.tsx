import { Button, Flex, Table, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, read } from "../../api/client";
import type { Rule, RuleKind, SiteRule } from "../../api/types";
import { rules } from "../../api/watching";
import { Blank } from "../../ui/Blank";
import { May } from "../../ui/May";
import { Panel, Rows } from "../../ui/Panel";
import { Select } from "../../ui/Select";
import { Failed, Faults, Loading, Refused } from "../../ui/States";
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
      <May as="consultant">
        <Add site={site} kinds={list.data.kinds} />
      </May>
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
        <May as="consultant">
          <Button
            size="xs"
            variant="ghost"
            aria-label={`${r.rule.off ? "Switch on" : "Switch off"} ${r.name}`}
            onClick={() => turn.mutate()}
          >
            {r.rule.off ? "Switch on" : "Switch off"}
          </Button>
          {r.own && (
            <Button
              size="xs"
              variant="ghost"
              aria-label={`As usual: ${r.name}`}
              onClick={() => reset.mutate()}
            >
              As usual
            </Button>
          )}
        </May>
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
        {kind?.unit && (
          <Blank
            label="From which number on"
            hint={`${kind.least} ${kind.unit}`}
            value={least}
            set={setLeast}
            width="9rem"
          />
        )}
        {takes("gate") && (
          <Blank
            label="Health that a crawl has to have"
            hint="health 85"
            value={least}
            set={setLeast}
            width="7rem"
          />
        )}
        {takes("section") && (
          <Blank label="In which section" hint="in /shop/" value={section} set={setSection} width="8rem" />
        )}
        {takes("question") && (
          <Blank
            label="Question of pages"
            hint="words < 50 && indexable"
            value={question}
            set={setQuestion}
            width="18rem"
          />
        )}
        <Blank label="Name of the rule" hint="name" value={name} set={setName} width="8rem" />
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
      <Faults error={error} />
      {test.data && <Tried of={test.data} />}
    </>
  );
}
