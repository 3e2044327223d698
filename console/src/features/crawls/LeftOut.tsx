import { Box, Button, Flex, Heading, Table, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { addresses, crawl, tally } from "../../api/queries";
import { count, whole } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { say, useWords } from "../../lib/useWords";
import { Address } from "../../ui/Address";
import { More } from "../../ui/More";
import { Empty, Failed, Loading } from "../../ui/States";

const keys = ["state"] as const;

/** What the crawl knew of and did not fetch, with the reason. */
export function LeftOut() {
  const { site = "", crawl: number = "" } = useParams();
  const [filter, set] = useFilters(keys);
  const { leftOut } = useWords();
  const info = useQuery(crawl(site, number));
  const counts = useQuery(tally(site, number));
  if (counts.isPending || info.isPending) return <Loading />;
  if (counts.isError) return <Failed error={counts.error} retry={counts.refetch} />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  const states = counts.data.states.filter((s) => leftOut.some((w) => w.name === s.name));
  if (states.length === 0)
    return <Empty title="Nothing was left out">Every known address was fetched.</Empty>;
  const state = filter.state || (states[0]?.name ?? "");
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Heading as="h1" srOnly>
        Left out
      </Heading>
      <Flex gap="2" wrap="wrap" mb="4" role="group" aria-label="Reasons">
        {states.map((s) => (
          <Button
            key={s.name}
            size="xs"
            variant={s.name === state ? "solid" : "outline"}
            bg={s.name === state ? "accent" : undefined}
            color={s.name === state ? "accent.text" : undefined}
            aria-pressed={s.name === state}
            onClick={() => set({ state: s.name })}
          >
            {whole(s.count)} {say(leftOut, s.name)}
          </Button>
        ))}
      </Flex>
      {state === "trapped" &&
        info.data.traps?.map((t) => (
          <Text key={t.pattern} mb="2">
            <b>{t.pattern}</b> never ends: {whole(t.fetched)} fetched, {whole(t.left)} left.
          </Text>
        ))}
      <Addresses site={site} number={number} state={state} home={info.data.home} />
    </Box>
  );
}

function Addresses(props: { site: string; number: string; state: string; home: string }) {
  const list = useInfiniteQuery(addresses(props.site, props.number, props.state));
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const rows = list.data.pages.flatMap((p) => p.addresses);
  const ruled = rows.some((r) => r.rule || r.ruleLine);
  return (
    <>
      <Heading as="h2" size="sm" mb="2">
        {count(list.data.pages[0]?.total ?? 0, "address", "addresses")}
      </Heading>
      <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
        <Table.Root size="sm" css={{ tableLayout: "fixed", minWidth: "44rem" }}>
          <Table.Header>
            <Table.Row bg="bg.subtle">
              <Table.ColumnHeader width="45%">Address</Table.ColumnHeader>
              <Table.ColumnHeader width="28%">First named on</Table.ColumnHeader>
              {ruled && <Table.ColumnHeader>Rule</Table.ColumnHeader>}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {rows.map((r) => (
              <Table.Row key={r.address} bg="bg.panel">
                <Table.Cell>
                  <Address address={r.address} home={props.home} />
                </Table.Cell>
                <Table.Cell>
                  {r.foundOn ? (
                    <Address
                      address={r.foundOn}
                      home={props.home}
                      to={`/sites/${props.site}/${props.number}/page?address=${encodeURIComponent(r.foundOn)}`}
                    />
                  ) : (
                    r.found
                  )}
                </Table.Cell>
                {ruled && (
                  <Table.Cell>
                    {r.ruleLine ? `robots.txt line ${r.ruleLine}: ` : ""}
                    {r.rule}
                  </Table.Cell>
                )}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
      <More list={list} />
    </>
  );
}
