import { Box, Flex, Link } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Navigate, NavLink, Outlet, useLocation, useParams } from "react-router";
import { crawl } from "../../api/queries";
import { useMe } from "../../lib/me";
import { Empty, Failed, Loading } from "../../ui/States";
import { LiveCrawl } from "./LiveCrawl";
import { PausedCrawl } from "./PausedCrawl";

const tabs = [
  { to: "", words: "Overview" },
  { to: "/fixes", words: "Fix list" },
  { to: "/tables", words: "Tables" },
  { to: "/map", words: "Map" },
  { to: "/speed", words: "Speed" },
  { to: "/drift", words: "Drift" },
  { to: "/left", words: "Left out" },
  { to: "/doors", words: "Front doors" },
  { to: "/report", words: "Report" },
  { to: "/export", words: "Hand over" },
];

/** What the views of a crawl have in common; a running crawl is shown live instead. */
export function CrawlFrame() {
  const { site = "", crawl: number = "" } = useParams();
  const info = useQuery(crawl(site, number));
  const me = useMe();
  const at = useLocation().pathname;
  if (info.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  if (info.data.state === "running") return <LiveCrawl crawl={info.data} />;
  if (info.data.state === "paused") return <PausedCrawl crawl={info.data} />;
  if (info.data.state === "failed") {
    return <Empty title={`Crawl ${info.data.number} could not be finished`}>{info.data.detail}</Empty>;
  }
  const base = `/sites/${site}/${number}`;
  if (me?.role === "client" && at !== `${base}/fixes`) return <Navigate to={`${base}/fixes`} replace />;
  return (
    <Flex direction="column" height="100%" minH="0">
      <Flex
        as="nav"
        aria-label="Views of this crawl"
        gap="5"
        overflowX="auto"
        whiteSpace="nowrap"
        flex="none"
        px={{ base: "3", md: "5" }}
        pt="2"
        borderBottomWidth="1px"
      >
        {tabs
          .filter((t) => me?.role !== "client" || t.to === "/fixes")
          .map((t) => (
            <Tab key={t.to} to={base + t.to} end={t.to === ""}>
              {t.words}
            </Tab>
          ))}
      </Flex>
      <Box flex="1" minH="0" overflow="auto">
        <Outlet />
      </Box>
    </Flex>
  );
}

function Tab({ to, end, children }: { to: string; end?: boolean; children: string }) {
  return (
    <Link
      asChild
      color="fg"
      pb="1.5"
      borderBottomWidth="3px"
      borderColor="transparent"
      css={{ "&.active": { borderColor: "accent", fontWeight: 600 } }}
      _hover={{ textDecoration: "none" }}
    >
      <NavLink to={to} end={end}>
        {children}
      </NavLink>
    </Link>
  );
}
