import { Box, Grid, Text } from "@chakra-ui/react";
import type { Coming } from "../../api/types";
import { whole } from "../../lib/format";

const weekday = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short" });
const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });

/** The crawls to come by day, each with what it asks of its host. */
export function Calendar({ coming }: { coming: Coming[] }) {
  const days: { day: string; all: Coming[] }[] = [];
  const today = new Date();
  for (let i = 0; i < 8; i++) {
    const at = new Date(today.getFullYear(), today.getMonth(), today.getDate() + i);
    days.push({ day: weekday.format(at), all: [] });
  }
  for (const c of coming) days.find((d) => d.day === weekday.format(new Date(c.at)))?.all.push(c);
  return (
    <Grid
      templateColumns={{ base: "1fr", md: "repeat(4, 1fr)", xl: "repeat(8, 1fr)" }}
      borderWidth="1px"
      rounded="sm"
      bg="bg.panel"
    >
      {days.map((d) => (
        <Box key={d.day} p="2" borderRightWidth="1px" borderBottomWidth="1px" minW="0">
          <Text fontSize="sm" color="fg.muted" mb="1">
            {d.day}
          </Text>
          {d.all.map((c) => (
            <Crawl key={`${c.site} ${c.schedule} ${c.at}`} of={c} />
          ))}
        </Box>
      ))}
    </Grid>
  );
}

function Crawl({ of: c }: { of: Coming }) {
  const minutes = (new Date(c.until).getTime() - new Date(c.at).getTime()) / 60_000;
  return (
    <Box mb="2" fontSize="sm" overflowWrap="anywhere">
      <Text fontVariantNumeric="tabular-nums">
        {clock.format(new Date(c.at))} <b>{c.site}</b>
      </Text>
      <Text color="fg.muted">
        {c.requests > 0
          ? `${whole(c.requests)} requests in ${minutes < 1 ? "under a minute" : `${Math.round(minutes)} min`}, ${whole(c.requests / Math.max(1, minutes))} a minute to ${c.host}`
          : `to ${c.host}; how long is not known yet`}
      </Text>
    </Box>
  );
}
