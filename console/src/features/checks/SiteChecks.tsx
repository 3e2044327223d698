import { Box, chakra, Flex, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { checks, crawl, plan } from "../../api/queries";
import type { Check, Crawl, Plan } from "../../api/types";
import { count, lost, whole } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { May } from "../../ui/May";
import { Select } from "../../ui/Select";
import { Sign } from "../../ui/Sign";
import { Empty, Failed, Loading } from "../../ui/States";
import { CheckRules } from "./CheckRules";
import { CheckSearch } from "./CheckSearch";
import { CheckText } from "./CheckText";
import { found } from "./filter";
import { covers } from "./rules";

const keys = ["search", "group", "show", "open"] as const;

/** The checks of a site: what each found in the newest crawl, and how it is judged here. */
export function SiteChecks() {
  const { site = "" } = useParams();
  const list = useQuery(checks(site));
  const newest = useQuery({ ...crawl(site, "latest"), retry: false });
  const own = useQuery(plan(site));
  const [filter, set] = useFilters(keys);
  if (list.isPending || own.isPending || newest.isLoading) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  if (own.isError) return <Failed error={own.error} retry={own.refetch} />;
  const rules = own.data.checks ?? [];
  const lines = newest.data?.report?.ledger ?? [];
  const failing = new Map(lines.map((l) => [l.check, l]));
  const fitting = found(list.data.checks, filter.search, filter.group).filter((c) => {
    switch (filter.show) {
      case "failing":
        return failing.has(c.id);
      case "passing":
        return !failing.has(c.id);
      case "changed":
        return rules.some((r) => covers(r.check, c.id)) || c.limits.some((l) => own.data.limits?.[l.name]);
      case "own":
        return c.own;
    }
    return true;
  });
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <CheckSearch
        title={
          <>
            Checks of{" "}
            <Link asChild color="accent">
              <RouterLink to={`/sites/${site}`}>{site}</RouterLink>
            </Link>
          </>
        }
        search={filter.search}
        group={filter.group}
        groups={list.data.groups}
        set={set}
        fitting={fitting.length}
      >
        <Select
          label="Which"
          width="13rem"
          value={filter.show}
          set={(show) => set({ show })}
          options={[
            ["", "all checks"],
            ["failing", "that fail here"],
            ["passing", "that fail nowhere"],
            ["changed", "that are judged otherwise here"],
            ["own", "of one’s own"],
          ]}
        />
      </CheckSearch>
      {fitting.length === 0 ? (
        <Empty title="No check like that">Take a filter off to see more.</Empty>
      ) : (
        <Box borderWidth="1px" rounded="sm" bg="bg.panel">
          {fitting.map((c) => (
            <Row
              key={c.id}
              site={site}
              check={c}
              plan={own.data}
              newest={newest.data}
              open={filter.open === c.id}
              toggle={() => set({ open: filter.open === c.id ? "" : c.id })}
            />
          ))}
        </Box>
      )}
    </Box>
  );
}

interface RowProps {
  site: string;
  check: Check;
  plan: Plan;
  newest?: Crawl;
  open: boolean;
  toggle: () => void;
}

function Row({ site, check: c, plan, newest, open, toggle }: RowProps) {
  const line = newest?.report?.ledger?.find((l) => l.check === c.id);
  const rules = (plan.checks ?? []).filter((r) => covers(r.check, c.id));
  const assessed = newest?.report?.assessed ?? 0;
  const off = rules.some((r) => r.off && !r.on);
  return (
    <Box borderBottomWidth="1px" _last={{ borderBottomWidth: 0 }}>
      <Flex px="3" py="1" gap="3" align="center" wrap={{ base: "wrap", md: "nowrap" }}>
        <chakra.button
          type="button"
          textAlign="start"
          flex="1"
          minW="16rem"
          minH="24px"
          cursor="pointer"
          aria-expanded={open}
          onClick={toggle}
        >
          <Flex gap="2" align="center">
            <Sign severity={line?.severity ?? c.severity} />
            <b>{c.id}</b>
            <Box as="span" color="fg.muted">
              {c.title}
            </Box>
          </Flex>
        </chakra.button>
        {(rules.length > 0 || c.own) && (
          <Text fontSize="sm" color="fg.muted">
            {off ? "off here" : c.own ? "of one’s own" : "judged otherwise here"}
          </Text>
        )}
        <Text fontSize="sm" width="13rem" textAlign="end">
          {!newest ? (
            "not crawled yet"
          ) : line ? (
            <Link asChild color="accent">
              <RouterLink to={`/sites/${site}/latest/fixes?check=${c.id}`}>
                fails on {count(line.pages, "page", "pages")}, {lost(line.points)}
              </RouterLink>
            </Link>
          ) : off ? (
            "–"
          ) : (
            `passes on ${whole(assessed)} pages`
          )}
        </Text>
      </Flex>
      {open && (
        <Box px="3" pb="4" pl={{ md: "9" }}>
          <Box maxW="60rem" mb="3">
            <CheckText check={c} />
            {line && newest && (
              <Text fontSize="sm" color="fg.muted">
                It fails on {whole(line.pages)} of {whole(assessed)} pages, at {whole(line.places)} places,
                and passes on {whole(Math.max(0, assessed - line.pages))}.
              </Text>
            )}
          </Box>
          <May as="consultant">
            <CheckRules key={c.id} site={site} check={c} plan={plan} crawled={!!newest} />
          </May>
        </Box>
      )}
    </Box>
  );
}
