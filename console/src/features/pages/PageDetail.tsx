import { Box, Flex, Heading, Link, SimpleGrid, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { checks, crawl, linksIn, page } from "../../api/queries";
import type { PageDetail as Detail } from "../../api/types";
import { bytes, count, isWeb } from "../../lib/format";
import { Address } from "../../ui/Address";
import { Outline, Places } from "../../ui/Evidence";
import { Facts } from "../../ui/Facts";
import { More } from "../../ui/More";
import { Sign } from "../../ui/Sign";
import { Failed, Loading } from "../../ui/States";
import { LinksOut } from "./LinksOut";
import { PageFacts, Part } from "./PageFacts";
import { Renderings } from "./Renderings";

/** Everything known about one address. */
export function PageDetail() {
  const { site = "", crawl: number = "" } = useParams();
  const [params] = useSearchParams();
  const address = params.get("address") ?? "";
  const info = useQuery(crawl(site, number));
  const detail = useQuery(page(site, number, address));
  if (detail.isPending || info.isPending) return <Loading />;
  if (detail.isError) return <Failed error={detail.error} retry={detail.refetch} />;
  const d = detail.data;
  const home = info.data?.home ?? "";
  const base = `/sites/${site}/${number}`;
  return (
    <Box px={{ base: "3", md: "5" }} py="4" maxW="84rem">
      <Heading as="h1" size="lg" overflowWrap="anywhere">
        {d.address}
      </Heading>
      <Text color="fg.muted" mb="4">
        {d.page ? answerLine(d) : stateLine(d)}
        {isWeb(d.address) && (
          <>
            {" · "}
            <Link href={d.address} target="_blank" rel="noopener noreferrer" color="accent">
              open it
            </Link>
          </>
        )}
      </Text>
      {d.page && <Renderings address={d.address} home={home} />}
      <SimpleGrid columns={{ base: 1, lg: 2 }} gap="8">
        <Box minW="0">
          {d.facts?.document && <PageFacts d={d} home={home} base={base} />}
          <Findings d={d} home={home} base={base} />
        </Box>
        <Box minW="0">
          {d.facts?.document && (
            <Part title="Headings in order">
              {d.facts.document.headings ? (
                <Outline headings={d.facts.document.headings} />
              ) : (
                <Text>none</Text>
              )}
            </Part>
          )}
          <LinksInto home={home} base={base} address={address} />
          {d.links.length > 0 && <LinksOut links={d.links} home={home} base={base} />}
          {d.facts?.header && (
            <Part title="Response headers">
              <Facts rows={d.facts.header.map((h) => [h.name, h.value])} small />
            </Part>
          )}
        </Box>
      </SimpleGrid>
    </Box>
  );
}

function answerLine(d: Detail): string {
  const p = d.page;
  if (!p) return "";
  const parts = [p.status ? `status ${p.status}` : (d.facts?.detail ?? p.outcome), p.type].map((s) =>
    s ? String(s) : "",
  );
  if (p.bytes) parts.push(bytes(Number(p.bytes)));
  if (p.firstByte) parts.push(`first byte after ${p.firstByte} ms`);
  if (d.facts?.redirect) parts.push(`leads on to ${d.facts.redirect}`);
  return parts.filter(Boolean).join(" · ");
}

function stateLine(d: Detail): string {
  if (d.state === "blocked") {
    return d.ruleLine
      ? `not fetched: shut out by line ${d.ruleLine} of robots.txt (${d.rule})`
      : `not fetched: ${d.rule}`;
  }
  return `not fetched: ${d.state}`;
}

function Findings({ d, home, base }: { d: Detail; home: string; base: string }) {
  const { site = "" } = useParams();
  const catalogue = useQuery(checks(site));
  const check = (id: string) => catalogue.data?.checks.find((c) => c.id === id);
  return (
    <Part title={d.findings.length ? `Findings (${d.findings.length})` : "Findings"}>
      {d.findings.length === 0 && <Text>{d.page ? "none" : "not judged, since it was not fetched"}</Text>}
      {d.findings.map((f) => (
        <Box key={f.check} mb="3">
          <Flex gap="2" align="center">
            <Sign severity={f.severity} />
            <Link asChild color="fg" fontWeight="600">
              <RouterLink to={`${base}/fixes?check=${f.check}`}>
                {check(f.check)?.title ?? f.check}
              </RouterLink>
            </Link>
          </Flex>
          <Box pl="6">
            <Places
              places={f.places}
              home={home}
              base={base}
              compared={f.check.startsWith("copy") ? d.address : undefined}
            />
          </Box>
        </Box>
      ))}
    </Part>
  );
}

function LinksInto({ home, base, address }: { home: string; base: string; address: string }) {
  const { site = "", crawl: number = "" } = useParams();
  const list = useInfiniteQuery(linksIn(site, number, address));
  const links = list.data?.pages.flatMap((p) => p.links) ?? [];
  return (
    <Part title={`Linked from ${count(list.data?.pages[0]?.pages ?? 0, "page", "pages")}`}>
      {list.isError && <Text role="alert">{list.error.message}</Text>}
      {links.map((l, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a page can link twice with the same words
        <Flex key={i} gap="3" fontSize="sm" minW="0" py="0.5" borderBottomWidth="1px">
          <Box flex="1" minW="0">
            <Address
              address={l.from ?? ""}
              home={home}
              to={`${base}/page?address=${encodeURIComponent(l.from ?? "")}`}
            />
          </Box>
          <Box flex="1" minW="0" truncate title={l.words}>
            {l.words && `“${l.words}”`}
          </Box>
          <Box color="fg.muted" flex="none">
            {l.region}
          </Box>
        </Flex>
      ))}
      <More list={list} />
    </Part>
  );
}
