import { Box, Progress, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { recheck } from "../api/queries";
import { count, points, whole } from "../lib/format";
import { Refused } from "./States";

const marks: Record<string, string> = { confirmed: "✓", "still there": "✗", changed: "~", "not seen": "?" };

/** A recheck while it runs, and what came of it. Done is called once, when it has ended. */
export function RecheckResult({
  site,
  crawl,
  number,
  done,
}: {
  site: string;
  crawl: number;
  number: number;
  done: () => void;
}) {
  const { data, error } = useQuery(recheck(site, crawl, number));
  const ended = data !== undefined && data.state !== "running";
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each recheck, whatever done is by then
  useEffect(() => {
    if (ended) done();
  }, [ended]);
  if (error) return <Refused error={error} />;
  if (!data || data.state === "running") {
    return (
      <Box role="status" aria-label="Recheck">
        <Text fontSize="sm">
          Looking again: {whole(data?.fetched ?? 0)} of {count(data?.of ?? 0, "address", "addresses")}
        </Text>
        <Progress.Root
          size="xs"
          value={data?.of ? Math.min(100, (100 * data.fetched) / data.of) : null}
          colorPalette="green"
        >
          <Progress.Track>
            <Progress.Range bg="accent" />
          </Progress.Track>
        </Progress.Root>
      </Box>
    );
  }
  if (data.state === "failed") {
    return (
      <Box role="alert" color="severity.error">
        The recheck failed: {data.detail}
      </Box>
    );
  }
  const shift = data.after - data.health;
  return (
    <Box role="status" aria-label="Recheck" fontSize="sm" maxH="12rem" overflowY="auto">
      {data.results.map((r) => (
        <Text key={r.fix} overflowWrap="anywhere">
          <b>
            {marks[r.verdict]} {r.verdict}
          </b>
          {data.results.length > 1 && ` · ${r.line}`}: {r.says}
        </Text>
      ))}
      {data.warnings?.map((w) => (
        <Text key={w}>Mind: {w}</Text>
      ))}
      <Text color="fg.muted">
        {count(data.fetched, "address", "addresses")} in {data.seconds.toFixed(1)} s. Health{" "}
        {points(data.health)}
        {Math.abs(shift) >= 0.005 &&
          `; ${points(data.after)} with what was seen now in its place (${shift > 0 ? "+" : "−"}${Math.abs(shift).toFixed(2)})`}
        . The crawl stays as it was.
      </Text>
    </Box>
  );
}
