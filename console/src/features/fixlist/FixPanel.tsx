import { Box, Button, chakra, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { fix, fixPages } from "../../api/queries";
import type { Fix, PageFinding } from "../../api/types";
import { count, gain, points, whole } from "../../lib/format";
import type { Wish, Worked } from "../../lib/useWork";
import { Address } from "../../ui/Address";
import { Outline, Places } from "../../ui/Evidence";
import { May } from "../../ui/May";
import { More } from "../../ui/More";
import { Sign } from "../../ui/Sign";
import { Failed, Loading } from "../../ui/States";
import { Entries } from "./Entries";
import { FixWork } from "./FixWork";

interface Props {
  home: string;
  id: string;
  newest: boolean;
  close: () => void;
  move: (fix: Worked, wish: Omit<Wish, "fixes">) => void;
  waive: (fix: Fix) => void;
  recheck: (fix: Worked) => void;
}

/** One fix: its texts, its evidence, its pages. Stands beside the list. */
export function FixPanel({ home, id, newest, close, move, waive, recheck }: Props) {
  const { site = "", crawl: number = "" } = useParams();
  const detail = useQuery(fix(site, number, id));
  const list = useInfiniteQuery(fixPages(site, number, id));
  const base = `/sites/${site}/${number}`;
  return (
    <Box
      as="section"
      aria-label="Fix"
      width={{ base: "100%", lg: "31rem", xl: "34rem" }}
      flex="none"
      minH={{ base: "26rem", lg: "0" }}
      overflowY="auto"
      borderLeftWidth={{ lg: "1px" }}
      borderTopWidth={{ base: "3px", lg: "0" }}
      borderColor={{ base: "accent", lg: "border" }}
      bg="bg.panel"
      px="5"
      py="3"
    >
      {detail.isPending ? (
        <Loading />
      ) : detail.isError ? (
        <Failed error={detail.error} retry={detail.refetch} />
      ) : (
        <>
          <Flex gap="2" align="flex-start" mb="1">
            <Box pt="1">
              <Sign severity={detail.data.fix.severity} />
            </Box>
            <Heading as="h2" size="md" flex="1" overflowWrap="anywhere">
              {detail.data.fix.line}
            </Heading>
            <Button size="xs" variant="ghost" aria-label="Close this fix" onClick={close}>
              Close
            </Button>
          </Flex>
          <Text color="fg.muted" fontSize="sm" mb="3">
            {detail.data.fix.severity}, {detail.data.check.id}. Gain {gain(detail.data.fix.gain)}, effort{" "}
            {detail.data.fix.effort}. Health after it and all before: {points(detail.data.fix.healthAfter)}.
          </Text>
          <FixWork
            site={site}
            fix={detail.data.fix}
            check={detail.data.check}
            newest={newest}
            move={(wish) => move(detail.data.fix, wish)}
            waive={() => waive(detail.data.fix)}
            recheck={() => recheck(detail.data.fix)}
          />
          {detail.data.fix.entries && (
            <Entries
              entries={detail.data.fix.entries}
              cases={detail.data.fix.cases ?? 0}
              newest={newest}
              claim={(e) => move(e, { to: e.state === "claimed" ? "open" : "claimed" })}
              recheck={recheck}
            />
          )}
          <Part title="What">{detail.data.check.what}</Part>
          <Part title="Why it matters">{detail.data.check.why}</Part>
          <Part title="How to fix it">{detail.data.check.how}</Part>
          {detail.data.check.source && (
            <Text fontSize="sm" color="fg.muted" mb="3">
              Rests on: {detail.data.check.source}
            </Text>
          )}
          {detail.data.fix.follows && (
            <Text mb="2.5">
              What comes of it, and goes with it:{" "}
              {detail.data.fix.follows
                .map((f) => `${f.check} (${count(f.pages, "page", "pages")})`)
                .join(", ")}
              .
            </Text>
          )}
          <Flex align="baseline" gap="3" mb="1" borderTopWidth="1px" pt="3">
            <Heading as="h3" size="sm">
              {count(detail.data.fix.pages, "page", "pages")}
            </Heading>
            <May as="reader">
              <Link asChild color="accent" fontSize="sm">
                <RouterLink
                  to={`${base}/tables?${new URLSearchParams({ of: "pages", question: `"${id}" in fixes` })}`}
                >
                  Show them as a table
                </RouterLink>
              </Link>
            </May>
          </Flex>
        </>
      )}
      {list.isError && <Failed error={list.error} retry={list.refetch} />}
      {list.data?.pages
        .flatMap((p) => p.pages)
        .map((p) => (
          <Concerned key={p.address} finding={p} home={home} base={base} />
        ))}
      <More list={list} words={`Show more of ${whole(list.data?.pages[0]?.total ?? 0)}`} />
    </Box>
  );
}

function Part({ title, children }: { title: string; children: string }) {
  return (
    <Box mb="2.5">
      <chakra.h3 fontSize="sm" fontWeight="600">
        {title}
      </chakra.h3>
      <Text>{children}</Text>
    </Box>
  );
}

function Concerned({ finding, home, base }: { finding: PageFinding; home: string; base: string }) {
  const address = finding.address ?? "";
  return (
    <Box borderBottomWidth="1px" py="2">
      {address ? (
        <Address address={address} home={home} to={`${base}/page?address=${encodeURIComponent(address)}`} />
      ) : (
        <Text>The whole site</Text>
      )}
      <Places
        places={finding.places}
        home={home}
        base={base}
        compared={finding.check.startsWith("copy") ? address : undefined}
      />
      {finding.outline && finding.check.startsWith("heading") && (
        <Outline headings={finding.outline} marked={finding.places.map((p) => p.line ?? 0)} />
      )}
    </Box>
  );
}
