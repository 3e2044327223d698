import { Box, chakra, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { Problem } from "../../api/client";
import { crawl, crawls, drift } from "../../api/queries";
import type { Drift, Fix, Seen, StepPart } from "../../api/types";
import { count, gain, shortAddress, whole } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { Address } from "../../ui/Address";
import { Select } from "../../ui/Select";
import { Sign } from "../../ui/Sign";
import { Empty, Failed, Loading } from "../../ui/States";
import { partWords, signed } from "./words";

const keys = ["from"] as const;

/** What changed since an earlier crawl. */
export function DriftPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [{ from }, set] = useFilters(keys);
  const info = useQuery(crawl(site, number));
  const list = useQuery(crawls(site));
  const d = useQuery(drift(site, number, from));
  if (d.error instanceof Problem && d.error.status === 409) {
    return <Empty title="Nothing to compare yet">{d.error.message}.</Empty>;
  }
  if (d.isPending || info.isPending || list.isPending) return <Loading />;
  if (d.isError) return <Failed error={d.error} retry={d.refetch} />;
  const earlier = (list.data ?? []).filter((c) => c.state === "finished" && c.number < d.data.after);
  return (
    <Box px={{ base: "3", md: "5" }} py="4" maxW="80rem">
      <Flex gap="3" align="center" wrap="wrap" mb="3">
        <Heading as="h1" size="md">
          Crawl {d.data.after} compared with
        </Heading>
        <Select
          size="xs"
          width="9rem"
          label="The earlier crawl"
          value={String(d.data.before)}
          set={(from) => set({ from })}
          options={earlier.map((c) => [String(c.number), `crawl ${c.number}`] as const)}
        />
      </Flex>
      {d.data.drift.notes.map((n) => (
        <Text key={n} mb="1">
          Mind: {n}.
        </Text>
      ))}
      <Report d={d.data.drift} home={info.data?.home ?? ""} base={`/sites/${site}/${number}`} />
    </Box>
  );
}

function Report({ d, home, base }: { d: Drift["drift"]; home: string; base: string }) {
  const change = Math.round(100 * d.step.after) / 100 - Math.round(100 * d.step.before) / 100;
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
            <Text overflowWrap="anywhere">{partWords(p)}</Text>
            <Text hideBelow="md" textAlign="end" color="fg.muted">
              {p.pages ? count(p.pages, "page", "pages") : ""}
            </Text>
          </Box>
        );
      }}
    </Part>
  );
}

const shownAtFirst = 12;

/** A part of the report: its first rows, and the others on demand. Nothing where there are none. */
function Part({
  title,
  n,
  loud,
  children,
}: {
  title: string;
  n: number;
  loud?: boolean;
  children: (i: number) => ReactNode;
}) {
  const [all, setAll] = useState(false);
  if (n === 0) return null;
  const shown = all ? Math.min(n, 2000) : Math.min(n, shownAtFirst);
  return (
    <Box as="section" aria-label={title} mt="4">
      <chakra.h2 fontWeight="600" color={loud ? "severity.error" : undefined} mb="1" overflowWrap="anywhere">
        {title}{" "}
        <chakra.span color="fg.muted" fontWeight="400">
          {whole(n)}
        </chakra.span>
      </chakra.h2>
      {Array.from({ length: shown }, (_, i) => children(i))}
      {n > shown && (
        <Link as="button" color="accent" fontSize="sm" onClick={() => setAll(true)}>
          Show {whole(n - shown)} more
        </Link>
      )}
    </Box>
  );
}

/** Fixes that came or went; those still listed lead to their line. */
function Fixes({ title, list, base, loud }: { title: string; list: Fix[]; base?: string; loud?: boolean }) {
  return (
    <Part title={title} n={list.length} loud={loud}>
      {(i) => {
        const f = list[i];
        return (
          f && (
            <Flex key={f.id} gap="2" align="flex-start">
              <Box pt="1">
                <Sign severity={f.severity} />
              </Box>
              <Text flex="1" minW="0" overflowWrap="anywhere">
                {base ? (
                  <Link asChild color="fg">
                    <RouterLink to={`${base}?fix=${f.id}`}>{f.line}</RouterLink>
                  </Link>
                ) : (
                  f.line
                )}
              </Text>
              <Text color="fg.muted" flex="none">
                {count(f.pages, "page", "pages")}, {gain(f.gain)}
              </Text>
            </Flex>
          )
        );
      }}
    </Part>
  );
}

function Pages({ title, list, home, base }: { title: string; list: Seen[]; home: string; base?: string }) {
  return (
    <Part title={title} n={list.length}>
      {(i) => {
        const s = list[i];
        return (
          s && (
            <Flex key={s.address} gap="3" minW="0">
              {base ? (
                <Address
                  address={s.address}
                  home={home}
                  to={`${base}/page?address=${encodeURIComponent(s.address)}`}
                />
              ) : (
                <Text overflowWrap="anywhere">{shortAddress(s.address, home)}</Text>
              )}
              <Text color="fg.muted" flex="none">
                {s.why}
              </Text>
            </Flex>
          )
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
