import { Box, Flex, Link, Table, Text } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import type { CareSite } from "../../api/types";
import { points, signed, whole } from "../../lib/format";
import { useMe } from "../../lib/me";
import { availability, moment } from "../../lib/time";
import { Course } from "../../ui/Course";
import { Rows } from "../../ui/Panel";

/** The columns that can be left out, with their headings. */
export const choices = [
  ["errors", ">Errors"],
  ["returned", ">Came back"],
  ["available", ">Available"],
  ["last", "Last crawl"],
  ["next", "Next"],
  ["alerts", ">Alerts"],
  ["with", "With"],
] as const;

export type Choice = (typeof choices)[number][0];

/** How sites stand, those that need somebody most first. */
export function CareTable({ sites, shown }: { sites: CareSite[]; shown: Choice[] }) {
  const me = useMe();
  const client = me?.role === "client";
  const columns = choices.filter(([name]) => shown.includes(name));
  return (
    <Rows heads={["Site", ">Health", "Since the crawl before", ...columns.map(([, head]) => head)]}>
      {sites.map((s) => (
        <Table.Row key={s.name} bg="bg.panel" verticalAlign="top">
          <Table.Cell minW="14rem">
            <Link asChild color="accent" fontWeight="600">
              <RouterLink to={client ? `/sites/${s.name}/latest/fixes` : `/sites/${s.name}`}>
                {s.name}
              </RouterLink>
            </Link>
            <Text fontSize="sm" color={s.down.length + s.urgent > 0 ? "fg" : "fg.muted"} lineClamp={2}>
              {s.need || "needs nothing"}
            </Text>
          </Table.Cell>
          <Table.Cell textAlign="end" whiteSpace="nowrap">
            <Flex gap="2" justify="flex-end" align="center">
              <Course of={s.course} />
              {s.health === undefined ? (
                "–"
              ) : (
                <Link asChild color="accent" fontVariantNumeric="tabular-nums">
                  <RouterLink to={`/sites/${s.name}/${s.latest}`}>{points(s.health)}</RouterLink>
                </Link>
              )}
            </Flex>
          </Table.Cell>
          <Table.Cell minW="12rem">
            {s.course.length > 1 && (
              <>
                {client ? (
                  signed(s.change)
                ) : (
                  <Link asChild color="accent" fontVariantNumeric="tabular-nums">
                    <RouterLink to={`/sites/${s.name}/${s.latest}/drift`}>{signed(s.change)}</RouterLink>
                  </Link>
                )}
                <Text fontSize="sm" color="fg.muted" lineClamp={2}>
                  {s.cause}
                </Text>
              </>
            )}
          </Table.Cell>
          {columns.map(([name]) => (
            <Cell key={name} name={name} of={s} />
          ))}
        </Table.Row>
      ))}
    </Rows>
  );
}

function Cell({ name, of: s }: { name: Choice; of: CareSite }) {
  const link = (to: string, words: string) => (
    <Link asChild color="accent">
      <RouterLink to={to}>{words}</RouterLink>
    </Link>
  );
  const at = `/sites/${s.name}`;
  switch (name) {
    case "errors":
      return (
        <Table.Cell textAlign="end" whiteSpace="nowrap">
          {s.errors > 0 ? link(`${at}/${s.latest}/fixes?severity=error`, whole(s.errors)) : "–"}
          {s.errors > 0 && (
            <Text fontSize="sm" color="fg.muted">
              {points(s.lost)} points
            </Text>
          )}
        </Table.Cell>
      );
    case "returned":
      return (
        <Table.Cell textAlign="end">
          {s.returned > 0 ? link(`${at}/${s.latest}/fixes?state=returned`, whole(s.returned)) : "–"}
        </Table.Cell>
      );
    case "available":
      return (
        <Table.Cell textAlign="end" whiteSpace="nowrap">
          {s.available === undefined
            ? link(`${at}/watch`, "watch it")
            : link(`${at}/watch`, availability(s.available))}
          {s.down.length > 0 && <Box fontWeight="600">down</Box>}
        </Table.Cell>
      );
    case "last":
      return (
        <Table.Cell whiteSpace="nowrap">
          {s.running
            ? link(`${at}/${s.running}`, `crawl ${s.running} runs`)
            : s.latest && s.at
              ? moment(s.at)
              : "none yet"}
        </Table.Cell>
      );
    case "next":
      return (
        <Table.Cell whiteSpace="nowrap">
          {s.next ? moment(s.next) : link(`${at}/watch`, "no schedule")}
        </Table.Cell>
      );
    case "alerts":
      return (
        <Table.Cell textAlign="end">
          {s.alerts > 0 ? link(`/inbox?site=${s.name}`, whole(s.alerts)) : "–"}
        </Table.Cell>
      );
    default:
      return <Table.Cell>{s.assignees.join(", ")}</Table.Cell>;
  }
}
