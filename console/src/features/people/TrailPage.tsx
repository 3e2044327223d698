import { Box, Button, chakra, Flex, Heading, Table, Text } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { trail } from "../../api/people";
import type { TrailStep } from "../../api/types";
import { moment } from "../../lib/time";
import { Blank } from "../../ui/Blank";
import { Rows } from "../../ui/Panel";
import { Failed, Loading } from "../../ui/States";

/** Who changed what, the newest first. */
export function TrailPage() {
  const [at, setAt] = useSearchParams();
  const site = at.get("site") ?? "";
  const who = at.get("who") ?? "";
  const list = useInfiniteQuery(trail(site, who));
  const set = (name: string) => (value: string) => {
    const next = new URLSearchParams(at);
    if (value) next.set(name, value);
    else next.delete(name);
    setAt(next, { replace: true });
  };
  const steps = list.data?.pages.flatMap((p) => p.steps) ?? [];
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="3">
        Who changed what
      </Heading>
      <Flex gap="3" mb="3" wrap="wrap">
        <Blank label="By whom" hint="by whom" value={who} set={set("who")} width="10rem" size="sm" />
        <Blank
          label="At which site"
          hint="at which site"
          value={site}
          set={set("site")}
          width="12rem"
          size="sm"
        />
      </Flex>
      {list.isPending ? (
        <Loading />
      ) : list.isError ? (
        <Failed error={list.error} retry={list.refetch} />
      ) : steps.length === 0 ? (
        <Text color="fg.muted">Nothing was changed that is so.</Text>
      ) : (
        <Rows heads={["When", "Who", "From", "What", "Site", "Before and after"]}>
          {steps.map((s) => (
            <Table.Row key={s.id} bg="bg.panel" verticalAlign="top">
              <Table.Cell whiteSpace="nowrap">{moment(s.at)}</Table.Cell>
              <Table.Cell>
                {s.who}
                {s.kind.startsWith("token ") && (
                  <Text fontSize="sm" color="fg.muted">
                    by {s.kind}
                  </Text>
                )}
              </Table.Cell>
              <Table.Cell whiteSpace="nowrap">{s.place}</Table.Cell>
              <Table.Cell>
                {s.says || s.what}
                {s.subject && (
                  <Text fontSize="sm" color="fg.muted">
                    {s.subject}
                  </Text>
                )}
              </Table.Cell>
              <Table.Cell>{s.site}</Table.Cell>
              <Table.Cell maxW="24rem" whiteSpace="normal">
                <Change of={s} />
              </Table.Cell>
            </Table.Row>
          ))}
        </Rows>
      )}
      {list.hasNextPage && (
        <Button size="sm" variant="outline" mt="3" onClick={() => list.fetchNextPage()}>
          Earlier
        </Button>
      )}
    </Box>
  );
}

/** How a thing was before and after: what differs of its fields. */
function Change({ of: s }: { of: TrailStep }) {
  if (s.before === undefined && s.after === undefined) return null;
  const lines = difference(s.before, s.after);
  if (lines.length === 0) return s.before === undefined ? null : <Text color="fg.muted">as it was</Text>;
  return (
    <chakra.details>
      <chakra.summary cursor="pointer" color="accent" overflowWrap="anywhere">
        {lines[0]?.slice(0, 60)}
        {(lines.length > 1 || (lines[0]?.length ?? 0) > 60) && " …"}
      </chakra.summary>
      {lines.map((l) => (
        <Text key={l} fontSize="sm" overflowWrap="anywhere">
          {l}
        </Text>
      ))}
    </chakra.details>
  );
}

type Fields = Record<string, unknown>;

function difference(before: unknown, after: unknown): string[] {
  const fields = (v: unknown) =>
    v && typeof v === "object" && !Array.isArray(v) ? (v as Fields) : undefined;
  const was = fields(before);
  const now = fields(after);
  const text = (v: unknown) => (v === undefined ? "nothing" : typeof v === "string" ? v : JSON.stringify(v));
  if (!was && !now)
    return [
      before !== undefined && after !== undefined
        ? `${text(before)} → ${text(after)}`
        : text(after ?? before),
    ];
  const names = [...new Set([...Object.keys(was ?? {}), ...Object.keys(now ?? {})])];
  return names
    .filter((n) => JSON.stringify(was?.[n]) !== JSON.stringify(now?.[n]))
    .map((n) =>
      was && now ? `${n}: ${text(was[n])} → ${text(now[n])}` : `${n}: ${text((now ?? was)?.[n])}`,
    );
}
