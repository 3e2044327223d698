import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Watched } from "../../api/types";
import { watchCourse } from "../../api/watching";
import { count, whole } from "../../lib/format";
import { availability, lasting, moment } from "../../lib/time";
import { Select } from "../../ui/Select";
import { Failed, Loading } from "../../ui/States";
import { Changes } from "./Changes";
import { TimesChart } from "./TimesChart";

const spans = [
  ["1", "a day"],
  ["7", "a week"],
  ["30", "a month"],
  ["365", "a year"],
] as const;

/** How one watched address did. */
export function Watching({ of: w, close }: { of: Watched; close: () => void }) {
  const [days, setDays] = useState<(typeof spans)[number][0]>("1");
  const course = useQuery(watchCourse(w.site, w.name, Number(days)));
  return (
    <Box
      borderWidth="1px"
      rounded="sm"
      bg="bg.panel"
      p="4"
      mt="3"
      as="section"
      aria-label={`How ${w.name} did`}
    >
      <Flex gap="4" align="baseline" wrap="wrap">
        <Text fontWeight="600">{w.name}</Text>
        <Text color="fg.muted" overflowWrap="anywhere">
          {w.watch.address}
        </Text>
        <Select label="Of how long" size="xs" width="7rem" value={days} options={spans} set={setDays} />
        <Button size="xs" variant="ghost" ml="auto" onClick={close}>
          Close
        </Button>
      </Flex>
      {course.isPending ? (
        <Loading rows={4} />
      ) : course.isError ? (
        <Failed error={course.error} retry={course.refetch} />
      ) : (
        <>
          <Text my="2">
            {availability(course.data.available)} available in {count(course.data.looks, "look", "looks")},{" "}
            {course.data.down} down
            {course.data.median > 0 &&
              `; median ${whole(course.data.median)} ms, 95 of 100 within ${whole(course.data.p95)} ms, 99 within ${whole(course.data.p99)} ms`}
          </Text>
          {course.data.looks > 0 && <TimesChart bins={course.data.bins} days={Number(days)} />}
          <Text fontSize="sm" color="fg.muted" mb="2">
            {course.data.phases
              .filter((p) => p.median > 0)
              .map((p) => `${p.label} ${whole(p.median)} ms`)
              .join(" · ")}
            {w.ends && ` · certificate until ${moment(w.ends)}`}
          </Text>
          {course.data.outages.length > 0 && (
            <Box mb="3">
              <Text fontWeight="600">{count(course.data.outages.length, "outage", "outages")}</Text>
              {course.data.outages.map((o) => (
                <Text key={o.began}>
                  {moment(o.began)},{" "}
                  {o.ended ? `for ${lasting(o.began, new Date(o.ended).getTime())}` : "lasts"}: {o.reason}
                </Text>
              ))}
            </Box>
          )}
          <Changes all={course.data.changes} />
        </>
      )}
    </Box>
  );
}
