import { Box, Flex, Link, Table, Text } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import type { Speed, SpeedGroup, SpeedSpread } from "../api/types";
import { bytes, count, seconds, shortAddress, whole } from "../lib/format";
import { Address } from "./Address";

interface Props {
  speed: Speed;
  home: string;
  base: string;
}

/** Groups of rendered pages, phone and desktop beneath each other. */
export function SpeedTable({ speed, home, base }: Props) {
  const names = [...new Set(speed.groups.map((g) => g.name))];
  return (
    <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
      <Table.Root size="sm" aria-label={`Speed by ${speed.by}`}>
        <Table.Header>
          <Table.Row bg="bg.subtle">
            <Table.ColumnHeader>{speed.by === "layout" ? "Pages built as" : "Section"}</Table.ColumnHeader>
            <Table.ColumnHeader>Device</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">Pages</Table.ColumnHeader>
            <Table.ColumnHeader>Largest paint</Table.ColumnHeader>
            <Table.ColumnHeader>Layout shift</Table.ColumnHeader>
            <Table.ColumnHeader>Blocked</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">Loaded</Table.ColumnHeader>
            <Table.ColumnHeader>Scripts change</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {names.flatMap((name) =>
            speed.groups
              .filter((g) => g.name === name)
              .map((g, i, all) => (
                <Table.Row key={`${name} ${g.device}`} bg="bg.panel" verticalAlign="top">
                  {i === 0 && (
                    <Table.Cell
                      rowSpan={all.length}
                      minW={{ base: "5rem", md: "9rem" }}
                      maxW={{ base: "8rem", md: "16rem" }}
                    >
                      <Name group={g} by={speed.by} home={home} base={base} />
                    </Table.Cell>
                  )}
                  <Group g={g} beside={all[i - 1]} home={home} base={base} />
                </Table.Row>
              )),
          )}
        </Table.Body>
      </Table.Root>
    </Table.ScrollArea>
  );
}

function Name({ group: g, by, home, base }: { group: SpeedGroup; by: string; home: string; base: string }) {
  if (by !== "layout") return <Text overflowWrap="anywhere">{g.name}</Text>;
  return (
    <>
      <Address address={g.example} home={home} to={`${base}/page?address=${encodeURIComponent(g.example)}`} />
      {g.name === "" && (
        <Text color="fg.muted" fontSize="xs">
          and others like no other
        </Text>
      )}
    </>
  );
}

interface GroupProps {
  g: SpeedGroup;
  /** The same pages on the device before. */
  beside?: SpeedGroup;
  home: string;
  base: string;
}

function Group({ g, beside, home, base }: GroupProps) {
  const alike =
    beside && JSON.stringify([beside.differs, beside.links]) === JSON.stringify([g.differs, g.links]);
  return (
    <>
      <Table.Cell whiteSpace="nowrap">{g.throttled ? `slow ${g.device}` : g.device}</Table.Cell>
      <Table.Cell textAlign="end">
        <Rows base={base} question={g.question}>
          {whole(g.pages)}
        </Rows>
        {g.failed > 0 && (
          <Text fontSize="xs" color="severity.warning" whiteSpace="nowrap">
            {whole(g.failed)} failed
          </Text>
        )}
      </Table.Cell>
      <Spread s={g.largest} of={g.pages} what="painted last" unit={seconds} home={home} base={base} />
      <Spread s={g.shift} of={g.pages} what="moves" unit={(v) => v.toFixed(2)} home={home} base={base} />
      <Spread s={g.blocked} of={g.pages} what="holds up" unit={seconds} home={home} base={base} />
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {g.pages > 0 ? bytes(g.transferred) : "–"}
      </Table.Cell>
      <Table.Cell fontSize="xs" minW="11rem">
        {g.differs.length === 0 && g.pages > 0 && <Text color="fg.muted">nothing</Text>}
        {alike && g.differs.length > 0 && <Text color="fg.muted">as on a {beside.device}</Text>}
        {(alike ? [] : g.differs).map((d) => (
          <Text key={d.what}>
            {d.what === "links" && g.links > 0 ? count(g.links, "link", "links") : d.label}
            <Box as="span" color="fg.muted">{` on ${whole(d.pages)} of ${whole(g.pages)}`}</Box>
          </Text>
        ))}
      </Table.Cell>
    </>
  );
}

/** A number that leads to the rows behind it, where a question finds them. */
function Rows({ base, question, children }: { base: string; question?: string; children: React.ReactNode }) {
  if (!question) return <>{children}</>;
  return (
    <Link asChild color="accent">
      <RouterLink to={`${base}/tables?${new URLSearchParams({ of: "renderings", question })}`}>
        {children}
      </RouterLink>
    </Link>
  );
}

const grades = { good: "", fair: "slower than it should be", poor: "poor" } as const;

interface SpreadProps {
  s: SpeedSpread;
  of: number;
  what: string;
  unit: (v: number) => string;
  home: string;
  base: string;
}

/** A measure of a group: its value, what it was, how many pages are of which grade, and what it comes from. */
function Spread({ s, of, what, unit, home, base }: SpreadProps) {
  if (s.known === 0) return <Table.Cell color="fg.muted">–</Table.Cell>;
  const bad = s.fair + s.poor;
  const change = s.upper - (s.was ?? 0);
  const color = s.poor > 0 ? "severity.error" : "severity.warning";
  return (
    <Table.Cell minW="9rem" maxW="15rem">
      <Box as="span" fontWeight={s.grade === "good" ? undefined : "600"} title={grades[s.grade as "good"]}>
        {unit(s.upper)}
      </Box>
      {s.changed && ` (${change > 0 ? "+" : "−"}${unit(Math.abs(change))})`}
      {bad > 0 && (
        <>
          <Parts s={s} />
          <Text fontSize="xs" color={color}>
            <Rows base={base} question={s.slow}>
              <Box as="span" color={color}>
                {s.poor > 0 ? `poor on ${whole(s.poor)}` : ""}
                {s.poor > 0 && s.fair > 0 ? ", " : ""}
                {s.fair > 0 ? `too slow on ${whole(s.fair)}` : ""} of {whole(of)}
              </Box>
            </Rows>
          </Text>
          {s.element && (
            <Text fontSize="xs" color="fg.muted" overflowWrap="anywhere">
              {what}: {shortAddress(s.element, home)}
            </Text>
          )}
        </>
      )}
    </Table.Cell>
  );
}

/** How many pages are of which grade, as a strip. */
function Parts({ s }: { s: SpeedSpread }) {
  const says = `${s.good} good, ${s.fair} too slow, ${s.poor} poor`;
  return (
    <Flex role="img" aria-label={says} title={says} height="5px" my="1" gap="1px">
      <Box flex={s.good} bg="border.emphasized" />
      <Box flex={s.fair} bg="severity.warning" />
      <Box flex={s.poor} bg="severity.error" />
    </Flex>
  );
}
