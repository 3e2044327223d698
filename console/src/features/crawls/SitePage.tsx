import { Box, Button, Flex, Heading, Link, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Navigate, Link as RouterLink, useNavigate, useParams } from "react-router";
import { api, read } from "../../api/client";
import { crawls, site } from "../../api/queries";
import { whole } from "../../lib/format";
import { isAtLeast, useMe } from "../../lib/me";
import { May } from "../../ui/May";
import { Empty, Failed, Loading, Refused } from "../../ui/States";
import { AtAGlance } from "./AtAGlance";
import { CrawlTable } from "./CrawlTable";

const Trend = lazy(() => import("./Trend").then((m) => ({ default: m.Trend })));

/** A site with its crawls. */
export function SitePage() {
  const { site: name = "" } = useParams();
  const info = useQuery(site(name));
  const list = useQuery(crawls(name));
  const client = useQueryClient();
  const me = useMe();
  const navigate = useNavigate();
  const start = useMutation({
    mutationFn: () => read(api.POST("/sites/{site}/crawls", { params: { path: { site: name } } })),
    onSuccess: (c) => {
      client.invalidateQueries({ queryKey: ["sites", name] });
      navigate(`/sites/${name}/${c.number}`);
    },
  });
  if (info.isPending || list.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  if (me?.role === "client") return <Navigate to={`/sites/${name}/latest/fixes`} replace />;
  const p = info.data.plan;
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Flex align="baseline" gap="4" wrap="wrap" mb="1">
        <Heading as="h1" size="xl">
          {name}
        </Heading>
        <Text color="fg.muted">{info.data.home}</Text>
        <May as="consultant">
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            ml="auto"
            loading={start.isPending}
            onClick={() => start.mutate()}
          >
            Start a crawl
          </Button>
        </May>
      </Flex>
      <Refused error={start.error} />
      <Text color="fg.muted" mb="5">
        Plan: at most {whole(p.pages)} addresses{p.selection === "spread" && ", spread over the site"},{" "}
        {p.parallel} requests at once{p.pause !== "0s" && `, ${p.pause} between two`}, as “{p.agent}”;
        robots.txt is {p.robots === "disregard" ? `disregarded (${p.permission})` : `obeyed as ${p.robotsAs}`}
        .{" "}
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${name}/plan`}>Look over and change the plan</RouterLink>
        </Link>
        {" · "}
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${name}/watch`}>Watching</RouterLink>
        </Link>
        {" · "}
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${name}/checks`}>Checks</RouterLink>
        </Link>
        {" · "}
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${name}/waivers`}>Waivers</RouterLink>
        </Link>
        {" · "}
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${name}/figures`}>Own figures</RouterLink>
        </Link>
      </Text>
      <AtAGlance site={name} />
      <Suspense>{list.data.length > 1 && <Trend site={name} />}</Suspense>
      {list.data.length === 0 ? (
        <Empty title="No crawl yet">
          {isAtLeast(me, "consultant")
            ? "Start one: its progress is shown at once, and you can leave it alone and come back."
            : "What it finds is shown here once somebody has started one."}
        </Empty>
      ) : (
        <CrawlTable
          site={name}
          keep={info.data.keep ?? 0}
          monthly={info.data.keepMonthly ?? false}
          crawls={list.data}
        />
      )}
    </Box>
  );
}
