import { Box, useToken } from "@chakra-ui/react";
import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceArea,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { WatchBin } from "../../api/types";
import { whole } from "../../lib/format";
import { moment } from "../../lib/time";
import { useColorMode } from "../../ui/colorMode";

const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const date = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });

/** Response times over time, with the times at which the address was down shaded. */
export function TimesChart({ bins, days }: { bins: WatchBin[]; days: number }) {
  const { mode } = useColorMode();
  const [accent, error] = useToken("colors", ["accent", "severity.error"]);
  const points = bins.map((b, i) => ({
    i,
    at: b.at,
    median: b.looks > b.down ? b.median : null,
    slow: b.looks > b.down ? b.slow : null,
    bin: b,
  }));
  return (
    <Box height="180px" key={mode} role="img" aria-label="Response times over time">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart data={points} margin={{ top: 6, right: 12, bottom: 0, left: 0 }}>
          <CartesianGrid vertical={false} stroke="var(--chakra-colors-border)" />
          <XAxis
            dataKey="i"
            type="number"
            domain={[0, points.length - 1]}
            tickCount={7}
            stroke="var(--chakra-colors-fg-muted)"
            tickFormatter={(i) => {
              const at = points[Math.round(i)]?.at;
              return at ? (days === 1 ? clock : date).format(new Date(at)) : "";
            }}
          />
          <YAxis
            width={64}
            stroke="var(--chakra-colors-fg-muted)"
            tickFormatter={(ms) => `${whole(ms)} ms`}
          />
          {points
            .filter((p) => p.bin.down > 0)
            .map((p) => (
              <ReferenceArea key={p.i} x1={p.i - 0.5} x2={p.i + 0.5} fill={error} fillOpacity={0.25} />
            ))}
          <Area dataKey="slow" stroke="none" fill={accent} fillOpacity={0.18} isAnimationActive={false} />
          <Line
            dataKey="median"
            stroke={accent ?? "currentColor"}
            strokeWidth={1.5}
            dot={{ r: 1.5 }}
            isAnimationActive={false}
          />
          <Tooltip content={({ payload }) => <Hover bin={payload?.[0]?.payload?.bin} />} />
        </ComposedChart>
      </ResponsiveContainer>
    </Box>
  );
}

function Hover({ bin }: { bin?: WatchBin }) {
  if (!bin) return null;
  return (
    <Box bg="bg.panel" borderWidth="1px" rounded="sm" px="2" py="1" fontSize="sm">
      {moment(bin.at)}: {bin.looks === 0 ? "no look" : `${bin.looks} looks, ${bin.down} down`}
      {bin.median
        ? `, median ${whole(bin.median)} ms, 95 of 100 within ${whole(bin.slow ?? bin.median)} ms`
        : ""}
      {bin.planned > 0 && `, ${bin.planned} in maintenance`}
    </Box>
  );
}
