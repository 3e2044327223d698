import { Box, Flex, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link as RouterLink } from "react-router";
import { alerts, care, schedules, watches } from "../../api/watching";
import { count, points, signed } from "../../lib/format";
import { availability, moment } from "../../lib/time";
import { Groups } from "./Groups";

/** How a site stands, in few words that lead to where more is said. */
export function AtAGlance({ site }: { site: string }) {
  const all = useQuery(care());
  const when = useQuery(schedules(site));
  const watched = useQuery(watches(site));
  const told = useQuery(alerts(site, "open"));
  const s = all.data?.sites.find((x) => x.name === site);
  if (!s || !when.data || !watched.data || !told.data) return null;
  const link = (to: string, words: ReactNode) => (
    <Link asChild color="accent">
      <RouterLink to={to}>{words}</RouterLink>
    </Link>
  );
  const [next] = when.data.schedules
    .filter((x) => x.next)
    .sort((a, b) => String(a.next).localeCompare(String(b.next)));
  const down = watched.data.watches.filter((w) => w.down);
  return (
    <Box
      as="section"
      aria-label="At a glance"
      borderWidth="1px"
      rounded="sm"
      bg="bg.panel"
      px="4"
      py="3"
      mb="5"
    >
      {s.need && (
        <Text fontWeight="600" mb="1">
          {s.need}
        </Text>
      )}
      <Flex gap="6" wrap="wrap" rowGap="1">
        {s.health !== undefined && (
          <Text>
            Health {link(`/sites/${site}/${s.latest}`, points(s.health))}
            {s.course.length > 1 && <> ({link(`/sites/${site}/${s.latest}/drift`, signed(s.change))})</>}
            {s.cause && `, mostly: ${s.cause}`}
          </Text>
        )}
        <Text>
          {next?.next ? (
            <>
              Crawled {next.words}, {link(`/sites/${site}/watch`, `next ${moment(next.next)}`)}
            </>
          ) : (
            link(`/sites/${site}/watch`, "Crawled by hand: set a schedule")
          )}
        </Text>
        <Text>
          {watched.data.watches.length === 0
            ? link(`/sites/${site}/watch`, "No address is watched")
            : link(
                `/sites/${site}/watch`,
                `${count(watched.data.watches.length, "address", "addresses")} watched, ${availability(s.available)} available${down.length > 0 ? `, ${down.length} down` : ""}`,
              )}
        </Text>
        <Groups site={site} of={s.groups} />
        {s.assignees.length > 0 && <Text>On it: {s.assignees.join(", ")}</Text>}
      </Flex>
      {told.data.alerts.length > 0 && (
        <Box mt="2">
          {told.data.alerts.slice(0, 3).map((a) => (
            <Text key={a.id}>
              {moment(a.began)}: {link(a.link, a.says)}
            </Text>
          ))}
          {link(`/inbox?site=${site}`, `${count(told.data.alerts.length, "alert", "alerts")} in the inbox`)}
        </Box>
      )}
    </Box>
  );
}
