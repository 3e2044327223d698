import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import type { Drift, StepPart } from "../../api/types";
import { count, shortAddress, signed, whole } from "../../lib/format";
import { Address } from "../../ui/Address";
import { Fixes, Pages, Part } from "./DriftParts";

/** Whether two crawls are alike in all that is compared. */
function isStill(d: Drift["drift"]): boolean {
  const lists = [
    d.new,
    d.returned,
    d.gone,
    d.became,
    d.unseen,
    d.appeared,
    d.vanished,
    d.moved,
    d.changes,
    d.files,
  ];
  return (
    Math.abs(d.step.after - d.step.before) < 0.005 &&
    d.findings.new === 0 &&
    d.findings.gone === 0 &&
    lists.every((list) => list.length === 0)
  );
}

/** The step in health and what it comes from, fixes and pages that came and went, and what changed. */
export function DriftReport({ d, home, base }: { d: Drift["drift"]; home: string; base: string }) {
  const change = Math.round(100 * d.step.after) / 100 - Math.round(100 * d.step.before) / 100;
  if (isStill(d)) {
    return (
      <Text fontSize="lg">
        Nothing changed: health is {d.step.after.toFixed(2)} as before,{" "}
        {count(d.still, "line is", "lines are")} on both lists, and no page came, went or says otherwise.
      </Text>
    );
  }
  return (
    <>
      <Flex align="baseline" gap="3" wrap="wrap">
        <Text fontSize="xl" fontWeight="650">
          Health {d.step.before.toFixed(2)} → {d.step.after.toFixed(2)}
        </Text>
        <Text color="fg.muted">
          {signed(change)} points; {whole(d.findings.gone)} findings gone, {whole(d.findings.new)} new,{" "}
          {whole(d.findings.still)} still there on pages that both crawls saw
        </Text>
      </Flex>
      <Steps parts={d.step.parts} />
      <Fixes title="Returned, though confirmed to be gone once" list={d.returned} base={base} loud />
      <Fixes title="New fixes" list={d.new} base={base} />
      <Fixes title="Gone" list={d.gone} />
      <Fixes title="Still failing, as part of other lines" list={d.became.map((b) => b.fix)} />
      <Fixes title="Not on the list, but not everything concerned was looked at" list={d.unseen} />
      <Text mt="2" color="fg.muted">
        {count(d.still, "line is", "lines are")} on both lists.
      </Text>
      <Pages title="Pages that appeared" list={d.appeared} home={home} base={base} />
      <Pages title="Pages that vanished" list={d.vanished} home={home} />
      <Part title="Pages that moved" n={d.moved.length}>
        {(i) => {
          const m = d.moved[i];
          return (
            m && (
              <Text key={m.from} overflowWrap="anywhere">
                {shortAddress(m.from, home)} → {shortAddress(m.to, home)}{" "}
                <chakra.span color="fg.muted">{m.how}</chakra.span>
              </Text>
            )
          );
        }}
      </Part>
      <Changes d={d} home={home} base={base} />
      <Pages title="Pages that only one of the crawls could see" list={d.notSeen} home={home} />
      {d.files.map((f) => (
        <Part
          key={f.kind + f.address}
          title={`${f.kind} ${f.address}`}
          n={(f.gone?.length ?? 0) + (f.new?.length ?? 0)}
        >
          {(i) => {
            const gone = f.gone ?? [];
            const line = i < gone.length ? gone[i] : f.new?.[i - gone.length];
            return (
              <Text key={`${i}${line}`} fontFamily="mono" fontSize="sm" overflowWrap="anywhere">
                {i < gone.length ? "− " : "+ "}
                {line}
              </Text>
            );
          }}
        </Part>
      ))}
    </>
  );
}

/** The step in health, part by part: what added to it to the right of the middle, what took from it to the left. */
function Steps({ parts }: { parts: StepPart[] }) {
  const most = Math.max(...parts.map((p) => Math.abs(p.points)), 0);
  return (
    <Part title="How health got there" n={parts.length}>
      {(i) => {
        const p = parts[i];
        if (!p) return null;
        const width = `${most ? Math.max(1, (100 * Math.abs(p.points)) / most) : 0}%`;
        return (
          <Box
            key={p.by + p.fix}
            display="grid"
            gridTemplateColumns={{ base: "4.5rem 1fr", md: "4.5rem 10rem 1fr 5rem" }}
            columnGap="3"
            alignItems="center"
          >
            <Text textAlign="end" fontWeight="600">
              {signed(p.shown)}
            </Text>
            <Flex hideBelow="md" height="10px" aria-hidden>
              <Flex width="50%" justify="flex-end">
                {p.points < 0 && <Box width={width} bg="severity.error" />}
              </Flex>
              <Box width="50%" borderLeftWidth="1px" borderColor="fg.muted">
                {p.points > 0 && <Box width={width} height="10px" bg="accent" />}
              </Box>
            </Flex>
            <Text overflowWrap="anywhere">{p.says}</Text>
            <Text hideBelow="md" textAlign="end" color="fg.muted">
              {p.pages ? count(p.pages, "page", "pages") : ""}
            </Text>
          </Box>
        );
      }}
    </Part>
  );
}

/** What changed on pages, property by property, before and after. */
function Changes({ d, home, base }: { d: Drift["drift"]; home: string; base: string }) {
  const kinds = [...new Set(d.changes.map((c) => c.what))];
  return kinds.map((what) => {
    const list = d.changes.filter((c) => c.what === what);
    return (
      <Part key={what} title={`Changed: ${what}`} n={list.length}>
        {(i) => {
          const c = list[i];
          return (
            c && (
              <Box
                key={c.address}
                display="grid"
                gridTemplateColumns={{ base: "1fr", md: "minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1fr)" }}
                columnGap="4"
                borderBottomWidth="1px"
                py="0.5"
              >
                <Box minW="0" display="flex">
                  <Address
                    address={c.address}
                    home={home}
                    to={`${base}/page?address=${encodeURIComponent(c.address)}`}
                  />
                </Box>
                <Text overflowWrap="anywhere" color="fg.muted">
                  {shortAddress(c.before, home) || "none"}
                </Text>
                <Text overflowWrap="anywhere">{shortAddress(c.after, home) || "none"}</Text>
              </Box>
            )
          );
        }}
      </Part>
    );
  });
}
