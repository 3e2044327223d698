import { Box, Flex, Image, SimpleGrid, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { renderings, screen } from "../../api/queries";
import type { Rendering } from "../../api/types";
import { bytes, count, whole } from "../../lib/format";
import { Facts } from "../../ui/Facts";
import { Differences } from "./Differences";
import { Part } from "./PageFacts";

/** What a browser made of a page, on each device, beside its source. */
export function Renderings({ address, home }: { address: string; home: string }) {
  const { site = "", crawl: number = "" } = useParams();
  const list = useQuery(renderings(site, number, address));
  if (list.isError) return <Text role="alert">{list.error.message}</Text>;
  const all = list.data?.renderings ?? [];
  if (all.length === 0) return null;
  const first = all.find((r) => r.outcome === "rendered");
  return (
    <Part title="As a browser builds it">
      <SimpleGrid columns={{ base: 1, lg: all.length }} gap="8" mb="4">
        {all.map((r) => (
          <OnDevice key={r.device} r={r} />
        ))}
      </SimpleGrid>
      {first && <Differences differs={first.differs} home={home} />}
    </Part>
  );
}

const seconds = (ms: number | undefined): string =>
  ms === undefined ? "not told" : ms < 1000 ? `${whole(ms)} ms` : `${(ms / 1000).toFixed(1)} s`;

/** How a measure is by public guidance: good, to be mended, or poor. */
function Measure({ value, good, poor, shown }: { value: number; good: number; poor: number; shown: string }) {
  const says = value <= good ? "" : value <= poor ? "slower than it should be" : "poor";
  return (
    <>
      {shown}
      {says && (
        <Box as="span" color={value > poor ? "severity.error" : "severity.warning"} fontWeight="600">
          {" "}
          {says}
        </Box>
      )}
    </>
  );
}

function OnDevice({ r }: { r: Rendering }) {
  const s = r.speed;
  const done = { time: ", when its time was over", selector: ", when what the plan waits for was there" };
  const rows: [string, React.ReactNode][] = [
    ["First byte", seconds(s.firstByte)],
    ["First paint", seconds(s.firstPaint)],
    [
      "Largest paint",
      <Measure key="l" value={s.largestPaint ?? 0} good={2500} poor={4000} shown={seconds(s.largestPaint)} />,
    ],
    ["Painted last", s.largest || "not told"],
    ["Layout shift", <Measure key="s" value={s.shift} good={0.1} poor={0.25} shown={s.shift.toFixed(2)} />],
    ["Blocked", <Measure key="b" value={s.blocked} good={200} poor={600} shown={seconds(s.blocked)} />],
    ["Loaded", `${count(s.requests, "request", "requests")}, ${bytes(s.transferred)}`],
    ["Done", `after ${seconds(r.took)}${done[r.done as keyof typeof done] ?? ""}`],
  ];
  if (r.fit.content > r.fit.width + 1) {
    rows.push(["Width", `${r.fit.content} pixels on a screen of ${r.fit.width}: ${r.fit.wide}`]);
  }
  if (r.device === "phone" && r.fit.small.length > 0) {
    rows.push([
      "Small to tap",
      `${r.fit.small.length + r.fit.smallMore} of ${r.fit.targets}: ${r.fit.small[0]}`,
    ]);
  }
  if (r.covers) rows.push(["Covered by", r.covers]);
  for (const t of s.tasks.slice(0, 3)) rows.push(["Held up by", `${t.of}, ${seconds(t.value)}`]);
  for (const m of r.console.slice(0, 3)) rows.push(["Console", m.text]);
  if (r.missing.length > 0) {
    rows.push(["Missing", r.missing.map((m) => `${m.address} (${m.status || m.why})`).join(", ")]);
  }
  return (
    <Flex gap="4" minW="0" align="start" direction={{ base: "column", sm: "row" }}>
      <Screen r={r} />
      <Box flex="1" minW="0">
        <Text fontWeight="600" mb="1">
          {r.device === "phone" ? "Phone" : "Desktop"}
          {s.throttled && (
            <Box as="span" color="fg.muted" fontWeight="400">
              {", as a slow one"}
            </Box>
          )}
        </Text>
        {r.outcome === "rendered" ? (
          <Facts rows={rows} small />
        ) : (
          <Text>{r.detail ? `${r.says}: ${r.detail}` : r.says}</Text>
        )}
      </Box>
    </Flex>
  );
}

function Screen({ r }: { r: Rendering }) {
  const { site = "", crawl: number = "" } = useParams();
  const picture = useQuery({ ...screen(site, number, r.screen ?? ""), enabled: !!r.screen });
  const phone = r.device === "phone";
  if (!picture.data) return null;
  return (
    <Image
      src={picture.data}
      alt={`The first view on a ${r.device}`}
      width={phone ? "9rem" : "15rem"}
      flex="none"
      borderWidth="1px"
      borderRadius="sm"
    />
  );
}
