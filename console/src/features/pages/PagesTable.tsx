import { Box, Flex, Heading } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { useParams } from "react-router";
import { columns as columnsOf, crawl, figures, pages } from "../../api/queries";
import { count } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { Empty, Failed, Loading } from "../../ui/States";
import { ColumnChoice } from "./ColumnChoice";
import { allColumns, type PageColumn, shownColumns } from "./columns";
import { PageFilters, pageFilterKeys } from "./PageFilters";
import { PageRows } from "./PageRows";

const keys = [...pageFilterKeys, "sort", "columns"] as const;

/** What was fetched: searched, filtered and sorted by the service, drawn as it is scrolled. */
export function PagesTable() {
  const { site = "", crawl: number = "" } = useParams();
  const [{ columns: chosen, ...filter }, set] = useFilters(keys);
  const info = useQuery(crawl(site, number));
  const own = useQuery(figures(site));
  const known = useQuery(columnsOf());
  const list = useInfiniteQuery(pages(site, number, filter));
  const all = useMemo(() => allColumns(known.data ?? [], own.data?.figures ?? []), [known.data, own.data]);
  const shown = useMemo(() => shownColumns(all, chosen), [all, chosen]);
  const rows = list.data?.pages.flatMap((p) => p.pages) ?? [];
  // Words start from A, numbers from the highest; the next click turns it round, the third takes it off.
  const sortBy = ({ sort = "", words }: PageColumn) => {
    const order = words ? [sort, `-${sort}`] : [`-${sort}`, sort];
    set({ sort: order[order.indexOf(filter.sort) + 1] ?? "" });
  };
  return (
    <Flex direction="column" height="100%" minH="0">
      <Heading as="h1" srOnly>
        Pages
      </Heading>
      <Flex
        px={{ base: "3", md: "5" }}
        py="2"
        gap="2"
        wrap="wrap"
        align="center"
        role="search"
        aria-label="Filter the pages"
      >
        <PageFilters filter={filter} set={set} figure={own.data?.figures[0]?.name} />
        <ColumnChoice
          all={all}
          shown={shown}
          set={(names) => set({ columns: names.join(",") })}
          usual={() => set({ columns: "" })}
        />
        <Box ml="auto" color="fg.muted" fontSize="sm" role="status">
          {list.data && count(list.data.pages[0]?.total ?? 0, "address", "addresses")}
        </Box>
      </Flex>
      {list.isPending || info.isPending || known.isPending ? (
        <Loading />
      ) : list.isError ? (
        <Failed error={list.error} retry={list.refetch} />
      ) : rows.length === 0 ? (
        <Empty title="No page like that">Take a filter off to see more.</Empty>
      ) : (
        <PageRows
          rows={rows}
          home={info.data?.home ?? ""}
          total={list.data.pages[0]?.total ?? 0}
          base={`/sites/${site}/${number}`}
          columns={shown}
          sort={filter.sort}
          sortBy={sortBy}
          more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
        />
      )}
    </Flex>
  );
}
