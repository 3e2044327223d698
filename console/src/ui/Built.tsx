import { Box, Flex, Image, SimpleGrid, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { screen } from "../api/queries";
import type { Rendering } from "../api/types";
import { bytes, count, seconds } from "../lib/format";
import { Differences } from "./Differences";
import { Facts } from "./Facts";

/** What a browser made of a page, device beside device, and what scripts change. */
export function Built({ all, home }: { all: Rendering[]; home: string }) {
  const first = all.find((r) => r.outcome === "rendered");
  return (
    <>
      <SimpleGrid columns={{ base: 1, lg: all.length }} gap="8" mb="4">
        {all.map((r) => (
          <OnDevice key={r.device} r={r} />
        ))}
      </SimpleGrid>
      {first && <Differences differs={first.differs} home={home} />}
    </>
  );
}

/** A measure, and how it is by public guidance: good, to be mended, or poor. */
function Measure({ grade, shown }: { grade?: string; shown: string }) {
  const says = grade === "fair" ? "slower than it should be" : grade === "poor" ? "poor" : "";
  return (
    <>
      {shown}
      {says && (
        <Box as="span" color={grade === "poor" ? "severity.error" : "severity.warning"} fontWeight="600">
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
    ["Largest paint", <Measure key="l" grade={s.largestGrade} shown={seconds(s.largestPaint)} />],
    ["Painted last", s.largest || "not told"],
    ["Layout shift", <Measure key="s" grade={s.shiftGrade} shown={s.shift.toFixed(2)} />],
    ["Blocked", <Measure key="b" grade={s.blockedGrade} shown={seconds(s.blocked)} />],
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
  for (const u of (r.unused ?? []).slice(0, 3)) {
    rows.push(["Goes unused", `about ${bytes(u.spare)} of ${bytes(u.bytes)} of ${u.address}`]);
  }
  for (const t of r.taps ?? []) {
    rows.push([
      "Tapped",
      t.element ? (
        <>
          {t.element}, answered after <Measure grade={t.grade} shown={seconds(t.took)} />
        </>
      ) : (
        `${t.selector} is not there to tap`
      ),
    ]);
  }
  if (r.hiddenWords) {
    rows.push([
      "Not shown",
      `${count(r.hiddenWords, "word", "words")} that a desktop shows: “${r.hides?.[0]}”`,
    ]);
  }
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
          <Box as="span" color="fg.muted" fontWeight="400">
            {s.throttled && ", as a slow one"}
            {(s.runs ?? 1) > 1 && `, medians of ${s.runs} loads`}
          </Box>
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
  const kept = useQuery({ ...screen(site, number, r.screen ?? ""), enabled: !!r.screen });
  const picture = r.picture ? `data:image/webp;base64,${r.picture}` : kept.data;
  const phone = r.device === "phone";
  if (!picture) return null;
  return (
    <Image
      src={picture}
      alt={`The first view on a ${r.device}`}
      width={phone ? "9rem" : "15rem"}
      flex="none"
      borderWidth="1px"
      borderRadius="sm"
    />
  );
}
