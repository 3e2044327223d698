import { Box, Flex } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { checks, crawl, fixes } from "../../api/queries";
import { useFilters } from "../../lib/useFilters";
import { Empty, Failed, Loading } from "../../ui/States";
import { CrawlHead } from "./CrawlHead";
import { FilterRow } from "./FilterRow";
import { FixPanel } from "./FixPanel";
import { FixRows } from "./FixRows";
import { filterKeys } from "./filters";

/** The worklist: health as a ledger, the fixes in order, the evidence beside them. */
export function FixListPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [filter, setFilter] = useFilters(filterKeys);
  const info = useQuery(crawl(site, number));
  const catalogue = useQuery(checks());
  const { fix: open, ...chosen } = filter;
  const list = useInfiniteQuery(fixes(site, number, chosen));
  if (info.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} />;
  if (!info.data.report?.scored) return <CrawlHead crawl={info.data} group="" choose={() => {}} />;
  const rows = list.data?.pages.flatMap((p) => p.fixes) ?? [];
  const total = list.data?.pages[0]?.total ?? 0;
  const { order, ...narrowing } = chosen;
  const filtered = Object.values(narrowing).some(Boolean);
  return (
    <Flex direction="column" height="100%" minH={{ base: "44rem", md: "0" }}>
      <CrawlHead crawl={info.data} group={filter.group} choose={(group) => setFilter({ group })} />
      <FilterRow
        filter={filter}
        set={setFilter}
        groups={catalogue.data?.groups ?? []}
        total={total}
        shown={!list.isPending}
      />
      <Flex flex="1" minH="0" direction={{ base: "column", lg: "row" }} borderTopWidth="1px">
        <Box flex="1" minW="0" minH={{ base: "20rem", lg: "0" }}>
          {list.isPending ? (
            <Loading />
          ) : list.isError ? (
            <Failed error={list.error} retry={list.refetch} />
          ) : rows.length === 0 ? (
            <Empty title={filtered ? "No fix like that" : "Nothing to fix"}>
              {filtered
                ? "Take a filter off to see more."
                : "No check found anything on the pages of this crawl."}
            </Empty>
          ) : (
            <FixRows
              fixes={rows}
              running={!order}
              total={total}
              open={open}
              choose={(id) => setFilter({ fix: id === open ? "" : id })}
              more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
            />
          )}
        </Box>
        {open && <FixPanel key={open} home={info.data.home} id={open} close={() => setFilter({ fix: "" })} />}
      </Flex>
    </Flex>
  );
}
