import { Box, chakra, Text, useToken } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { trend } from "../../api/queries";
import type { TrendPoint } from "../../api/types";
import { count, points, signed, when, whole } from "../../lib/format";
import { useColorMode } from "../../ui/colorMode";
import { Failed, Loading } from "../../ui/States";

/** Health over the crawls, all by the rules of the newest, with what caused each step. */
export function Trend({ site }: { site: string }) {
  const list = useQuery(trend(site));
  const { mode } = useColorMode();
  const [accent] = useToken("colors", ["accent"]);
  if (list.isPending) return <Loading rows={3} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const scored = list.data.filter((p) => p.scored);
  if (scored.length < 2) return null;
  const all = scored.map((p) => p.health);
  const [least, greatest] = [Math.min(...all), Math.max(...all)];
  if (greatest - least < 0.05) {
    return (
      <Text mb="4">
        By the rules and waivers of today, health has been {points(greatest)} in all{" "}
        {count(scored.length, "crawl", "crawls")}.
      </Text>
    );
  }
  const low = Math.max(0, Math.floor(least / 10) * 10);
  const step = low >= 70 ? 10 : 20;
  const ticks = Array.from(
    { length: Math.floor((100 - low) / step) + 1 },
    (_, i) => 100 - i * step,
  ).reverse();
  return (
    <Box as="section" aria-label="Trend" mb="6">
      <chakra.h2 fontWeight="600" mb="1">
        Health, by the rules and waivers of today
      </chakra.h2>
      <Box height="220px" borderWidth="1px" rounded="sm" bg="bg.panel" pt="3" pe="4" key={mode}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={scored} margin={{ top: 8, right: 16, bottom: 4, left: 0 }} accessibilityLayer>
            <CartesianGrid vertical={false} stroke="var(--chakra-colors-border)" />
            <XAxis
              dataKey="crawl"
              stroke="var(--chakra-colors-fg-muted)"
              tickFormatter={(n) => `crawl ${n}`}
              padding={{ left: 24, right: 24 }}
            />
            <YAxis domain={[low, 100]} ticks={ticks} width={40} stroke="var(--chakra-colors-fg-muted)" />
            <Tooltip
              content={({ payload }) => <Hover point={payload?.[0]?.payload as TrendPoint | undefined} />}
            />
            <Line
              type="linear"
              dataKey="health"
              stroke={accent ?? "var(--chakra-colors-accent)"}
              strokeWidth={2}
              dot={{ r: 4 }}
              isAnimationActive={false}
            />
          </LineChart>
        </ResponsiveContainer>
      </Box>
    </Box>
  );
}

function Hover({ point }: { point?: TrendPoint }) {
  if (!point) return null;
  const [errors = 0, warnings = 0, notices = 0] = point.findings;
  return (
    <Box bg="bg.panel" borderWidth="1px" px="3" py="1.5" fontSize="sm" maxW="24rem">
      <b>{points(point.health)}</b> at crawl {point.crawl}, {when(point.started)}
      <Text color="fg.muted">
        {whole(point.pages)} pages; {whole(errors)} errors, {whole(warnings)} warnings, {whole(notices)}{" "}
        notices
      </Text>
      {point.parts?.map((p) => (
        <Text key={p.by + p.fix}>
          {signed(p.shown)} {p.says}
        </Text>
      ))}
    </Box>
  );
}
