import { Box, Button, chakra, Flex, Input, NativeSelect } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useRef } from "react";
import { useParams } from "react-router";
import { crawl, pages } from "../../api/queries";
import type { PageRow } from "../../api/types";
import { count, points, whole } from "../../lib/format";
import { useFilters, useSearchField } from "../../lib/useFilters";
import { Address } from "../../ui/Address";
import { Sign } from "../../ui/Sign";
import { Empty, Failed, Loading } from "../../ui/States";

const keys = ["search", "status", "kind", "check", "fix", "sort", "role"] as const;

const heads: { key: string; sort?: string; label: string; end?: boolean }[] = [
  { key: "address", sort: "address", label: "Address" },
  { key: "status", sort: "status", label: "Status" },
  { key: "title", sort: "title", label: "Title" },
  { key: "words", sort: "words", label: "Words", end: true },
  { key: "depth", sort: "depth", label: "Clicks", end: true },
  { key: "linksIn", sort: "linksIn", label: "Links in", end: true },
  { key: "findings", sort: "findings", label: "Findings" },
  { key: "health", sort: "health", label: "Health", end: true },
];

const columns = "minmax(18rem, 3fr) 4.5rem minmax(12rem, 2.4fr) 4.5rem 4rem 5rem 7.5rem 4.5rem";

/** What was fetched: searched, filtered and sorted by the service, drawn as it is scrolled. */
export function PagesTable() {
  const { site = "", crawl: number = "" } = useParams();
  const [filter, set] = useFilters(keys);
  const info = useQuery(crawl(site, number));
  const list = useInfiniteQuery(pages(site, number, filter));
  const rows = list.data?.pages.flatMap((p) => p.pages) ?? [];
  const apply = useCallback((search: string) => set({ search }), [set]);
  const [search, setSearch] = useSearchField(filter.search, apply);
  // Words start from A, numbers from the highest; the next click turns it round, the third takes it off.
  const sortBy = (column: string) => {
    const order = ["address", "title", "status"].includes(column)
      ? [column, `-${column}`]
      : [`-${column}`, column];
    set({ sort: order[order.indexOf(filter.sort) + 1] ?? "" });
  };
  return (
    <Flex direction="column" height="100%" minH="0">
      <Flex
        px={{ base: "3", md: "5" }}
        py="2"
        gap="2"
        wrap="wrap"
        align="center"
        role="search"
        aria-label="Filter the pages"
      >
        <Input
          size="xs"
          width="18rem"
          bg="bg.panel"
          aria-label="Search address and title"
          placeholder="part of address or title"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <Choice
          label="Status"
          value={filter.status}
          set={(status) => set({ status })}
          options={["200", "3xx", "4xx", "5xx", "none"]}
        />
        <Choice
          label="Kind"
          value={filter.kind}
          set={(kind) => set({ kind })}
          options={["html", "other", "page", "list", "contact", "gallery", "legal", "search"]}
        />
        <Choice
          label="Role"
          value={filter.role}
          set={(role) => set({ role })}
          options={["resources", "image", "stylesheet", "script", "font", "media", "other", "outbound"]}
        />
        {(["check", "fix"] as const).map(
          (k) =>
            filter[k] && (
              <Button key={k} size="xs" variant="outline" onClick={() => set({ [k]: "" })}>
                only {k} {filter[k]} ×
              </Button>
            ),
        )}
        <Box ml="auto" color="fg.muted" fontSize="sm" role="status">
          {list.data && count(list.data.pages[0]?.total ?? 0, "address", "addresses")}
        </Box>
      </Flex>
      {list.isPending || info.isPending ? (
        <Loading />
      ) : list.isError ? (
        <Failed error={list.error} retry={list.refetch} />
      ) : rows.length === 0 ? (
        <Empty title="No page like that">Take a filter off to see more.</Empty>
      ) : (
        <Rows
          rows={rows}
          home={info.data?.home ?? ""}
          total={list.data.pages[0]?.total ?? 0}
          base={`/sites/${site}/${number}`}
          sort={filter.sort}
          sortBy={sortBy}
          more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
        />
      )}
    </Flex>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  options: string[];
  set: (value: string) => void;
}

function Choice({ label, value, options, set }: ChoiceProps) {
  return (
    <NativeSelect.Root size="xs" width="9rem">
      <NativeSelect.Field
        aria-label={label}
        bg="bg.panel"
        value={value}
        onChange={(e) => set(e.target.value)}
      >
        <option value="">any {label.toLowerCase()}</option>
        {[...new Set([...options, value])].filter(Boolean).map((o) => (
          <option key={o}>{o}</option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

interface RowsProps {
  rows: PageRow[];
  home: string;
  total: number;
  base: string;
  sort: string;
  sortBy: (column: string) => void;
  more: () => void;
}

function Rows({ rows, home, total, base, sort, sortBy, more }: RowsProps) {
  const scroll = useRef<HTMLDivElement>(null);
  const view = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => 33,
    overscan: 20,
  });
  const items = view.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= rows.length - 40) more();
  }, [last, rows.length, more]);
  return (
    <Box
      ref={scroll}
      flex="1"
      minH="0"
      overflow="auto"
      role="table"
      aria-label="Pages"
      aria-rowcount={total + 1}
    >
      <Box minW="64rem">
        <Box
          role="row"
          display="grid"
          gridTemplateColumns={columns}
          columnGap="3"
          px="5"
          py="1"
          position="sticky"
          top="0"
          zIndex="1"
          bg="bg.subtle"
        >
          {heads.map((h) => (
            <Box
              key={h.key}
              role="columnheader"
              textAlign={h.end ? "end" : "start"}
              aria-sort={sort === h.sort ? "ascending" : sort === `-${h.sort}` ? "descending" : "none"}
            >
              <chakra.button
                type="button"
                cursor="pointer"
                color="fg.muted"
                fontSize="sm"
                onClick={() => sortBy(h.sort ?? "")}
              >
                {h.label}
                {sort === h.sort ? " ↑" : sort === `-${h.sort}` ? " ↓" : ""}
              </chakra.button>
            </Box>
          ))}
        </Box>
        <Box role="rowgroup" height={`${view.getTotalSize()}px`} position="relative">
          {items.map((item) => {
            const p = rows[item.index];
            return (
              p && <Row key={p.address} p={p} home={home} base={base} index={item.index} top={item.start} />
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

function Row({
  p,
  home,
  base,
  index,
  top,
}: {
  p: PageRow;
  home: string;
  base: string;
  index: number;
  top: number;
}) {
  return (
    <Box
      role="row"
      aria-rowindex={index + 2}
      position="absolute"
      width="100%"
      height="33px"
      transform={`translateY(${top}px)`}
      display="grid"
      gridTemplateColumns={columns}
      columnGap="3"
      alignItems="center"
      px="5"
      borderBottomWidth="1px"
      bg="bg.panel"
      _hover={{ bg: "bg.subtle" }}
    >
      <Box role="cell" minW="0" display="flex">
        <Address
          address={p.address}
          home={home}
          to={`${base}/page?address=${encodeURIComponent(p.address)}`}
        />
      </Box>
      <Box role="cell" truncate>
        {p.status || p.outcome}
      </Box>
      <Box role="cell" truncate title={p.title}>
        {p.title}
      </Box>
      <Box role="cell" textAlign="end">
        {p.html ? whole(p.words) : ""}
      </Box>
      <Box role="cell" textAlign="end">
        {p.depth < 0 ? "–" : p.depth}
      </Box>
      <Box role="cell" textAlign="end">
        {whole(p.linksIn)}
      </Box>
      <Flex role="cell" gap="2" align="center">
        {(["error", "warning", "notice"] as const).map((s) => {
          const n = p[`${s}s`];
          return (
            n > 0 && (
              <Flex key={s} align="center" gap="0.5">
                <Sign severity={s} />
                {n}
              </Flex>
            )
          );
        })}
      </Flex>
      <Box role="cell" textAlign="end">
        {p.health < 0 ? "–" : points(p.health)}
      </Box>
    </Box>
  );
}
