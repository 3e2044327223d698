import { Box, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Navigate, Link as RouterLink, useLocation, useNavigate, useParams } from "react-router";
import { checks, crawl as crawlOf, drift, overview } from "../../api/queries";
import type { Crawl, Panel } from "../../api/types";
import { count, lost, signed, whole } from "../../lib/format";
import { CrawlHead } from "../../ui/CrawlHead";
import { Sign } from "../../ui/Sign";
import { Failed, Loading } from "../../ui/States";

/** What a crawl found, at a glance; every number and bar leads to its rows. */
export function Overview() {
  const { site = "", crawl: number = "" } = useParams();
  const { search } = useLocation();
  const navigate = useNavigate();
  const info = useQuery(crawlOf(site, number));
  const panels = useQuery(overview(site, number));
  // Filters of the fix list once stood at this address.
  if (search) return <Navigate to={`fixes${search}`} replace />;
  if (info.isPending || panels.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  if (panels.isError) return <Failed error={panels.error} retry={panels.refetch} />;
  const base = `/sites/${site}/${number}`;
  return (
    <Box pb="8">
      <Heading as="h1" srOnly>
        Overview
      </Heading>
      <CrawlHead crawl={info.data} group="" choose={(group) => navigate(`${base}/fixes?group=${group}`)} />
      <Box
        px={{ base: "3", md: "5" }}
        pt="4"
        columnGap="10"
        css={{ columnWidth: "21rem", "& > section": { breakInside: "avoid", marginBottom: "1.75rem" } }}
      >
        <InTheWay crawl={info.data} base={base} />
        <Changed site={site} number={number} base={base} />
        {panels.data.map((p) => (
          <Bars key={p.name} panel={p} base={base} />
        ))}
      </Box>
    </Box>
  );
}

function Title({ children }: { children: string }) {
  return (
    <Heading as="h2" size="sm" mb="1.5" borderBottomWidth="1px" pb="1">
      {children}
    </Heading>
  );
}

const most = 8; // rows of a panel

/** Rows counted by a fact. */
function Bars({ panel, base }: { panel: Panel; base: string }) {
  const groups = panel.groups;
  const top = Math.max(1, ...groups.map((g) => g.count));
  const shown = panel.sized ? groups.slice(0, 12) : groups.slice(0, most);
  const rest = groups.length - shown.length;
  const to = (params: Record<string, string>) => `${base}/tables?${new URLSearchParams(params)}`;
  if (groups.length === 0) return null;
  return (
    <section aria-label={panel.say}>
      <Title>{panel.sized && panel.by.unit ? `${panel.say}, ${panel.by.unit}` : panel.say}</Title>
      {shown.map((g) => (
        <Link
          key={g.question}
          asChild
          color="fg"
          display="block"
          _hover={{ bg: "bg.subtle", textDecoration: "none" }}
        >
          <RouterLink to={to({ of: panel.of, question: g.question })}>
            <Flex gap="3" align="center" minH="24px">
              <Text flex="0 0 9.5rem" truncate title={String(g.value)}>
                {typeof g.value === "number" ? whole(g.value) : String(g.value ?? "not known")}
              </Text>
              <Box flex="1" minW="0">
                <Box
                  height="9px"
                  bg="accent"
                  opacity="0.85"
                  width={`${(100 * g.count) / top}%`}
                  minW={g.count ? "2px" : "0"}
                />
              </Box>
              <Text flex="0 0 3.5rem" textAlign="end">
                {whole(g.count)}
              </Text>
            </Flex>
          </RouterLink>
        </Link>
      ))}
      {rest > 0 && (
        <Link asChild color="accent" fontSize="sm" display="inline-flex" minH="24px">
          <RouterLink to={to({ of: panel.of, question: panel.question, by: panel.by.name })}>
            {count(rest, "more", "more")}
          </RouterLink>
        </Link>
      )}
    </section>
  );
}

/** The checks that take most of health. */
function InTheWay({ crawl, base }: { crawl: Crawl; base: string }) {
  const known = useQuery(checks(crawl.site));
  const title = (id: string) => known.data?.checks.find((c) => c.id === id)?.title ?? id;
  const lines = [...(crawl.report?.ledger ?? [])].sort((a, b) => b.points - a.points).slice(0, 7);
  if (lines.length === 0) return null;
  return (
    <section aria-label="What stands in the way">
      <Title>What stands in the way</Title>
      {lines.map((l) => (
        <Link
          key={l.check}
          asChild
          color="fg"
          display="block"
          _hover={{ bg: "bg.subtle", textDecoration: "none" }}
        >
          <RouterLink to={`${base}/fixes?check=${l.check}`}>
            <Flex gap="2" align="center" minH="24px">
              <Sign severity={l.severity} />
              <Text flex="1" minW="0" truncate title={`${l.check}: ${title(l.check)}`}>
                {title(l.check)}
              </Text>
              <Text color="fg.muted" fontSize="sm">
                {count(l.pages, "page", "pages")}
              </Text>
              <Text flex="0 0 3.5rem" textAlign="end">
                {lost(l.points)}
              </Text>
            </Flex>
          </RouterLink>
        </Link>
      ))}
      <Link asChild color="accent" fontSize="sm" display="inline-flex" minH="24px">
        <RouterLink to={`${base}/fixes`}>The whole fix list</RouterLink>
      </Link>
    </section>
  );
}

/** What is otherwise than in the crawl before. */
function Changed({ site, number, base }: { site: string; number: string; base: string }) {
  const change = useQuery({ ...drift(site, number, ""), retry: false });
  const d = change.data?.drift;
  if (!d || !change.data) return null;
  const step = d.step.after - d.step.before;
  const appeared = change.data.drift.new.length;
  return (
    <section aria-label="Since the crawl before">
      <Title>{`Since crawl ${change.data.before}`}</Title>
      <Text>
        {Math.abs(step) < 0.005
          ? "Health is where it was."
          : `Health ${signed(step)}${d.step.parts[0] ? `, most by: ${d.step.parts[0].says}` : ""}`}
      </Text>
      <Text>
        {count(appeared, "fix", "fixes")} new, {count(d.gone.length, "fix", "fixes")} gone.
      </Text>
      <Link asChild color="accent" fontSize="sm" display="inline-flex" minH="24px">
        <RouterLink to={`${base}/drift`}>All that changed</RouterLink>
      </Link>
    </section>
  );
}
