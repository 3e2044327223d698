import { Box, Button, chakra, Flex, Input, Menu, Portal } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { useParams } from "react-router";
import { columns as columnsOf, crawl, figures, pages } from "../../api/queries";
import type { Page } from "../../api/types";
import { count } from "../../lib/format";
import { useFilters, useSearchField } from "../../lib/useFilters";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading } from "../../ui/States";
import { allColumns, type PageColumn, shownColumns } from "./columns";

const keys = [
  "search",
  "status",
  "kind",
  "check",
  "fix",
  "sort",
  "role",
  "indexable",
  "reachable",
  "why",
  "section",
  "having",
  "columns",
] as const;

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
  const apply = useCallback((search: string) => set({ search }), [set]);
  const [search, setSearch] = useSearchField(filter.search, apply);
  // Words start from A, numbers from the highest; the next click turns it round, the third takes it off.
  const sortBy = ({ sort = "", words }: PageColumn) => {
    const order = words ? [sort, `-${sort}`] : [`-${sort}`, sort];
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
          options={[
            "resources",
            "image",
            "stylesheet",
            "script",
            "font",
            "media",
            "other",
            "outbound",
            "form",
          ]}
        />
        <Choice
          label="Indexable"
          value={filter.indexable}
          set={(indexable) => set({ indexable })}
          options={["yes", "no"]}
          names={{ "": "indexable or not", yes: "indexable", no: "not indexable" }}
        />
        <Choice
          label="Reachable"
          value={filter.reachable}
          set={(reachable) => set({ reachable })}
          options={["yes", "no"]}
          names={{ "": "reachable or not", yes: "reachable from home", no: "not reachable" }}
        />
        {(own.data?.figures.length ?? 0) > 0 && (
          <Input
            size="xs"
            width="11rem"
            bg="bg.panel"
            aria-label="Condition with an own figure"
            placeholder={`such as ${own.data?.figures[0]?.name} >= 100`}
            defaultValue={filter.having}
            onKeyDown={(e) => e.key === "Enter" && set({ having: e.currentTarget.value })}
            onBlur={(e) => set({ having: e.target.value })}
          />
        )}
        {(["check", "fix", "section", "why"] as const).map(
          (k) =>
            filter[k] && (
              <Button key={k} size="xs" variant="outline" onClick={() => set({ [k]: "" })}>
                only {k} {filter[k]} ×
              </Button>
            ),
        )}
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
        <Rows
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

interface ChoiceProps {
  label: string;
  value: string;
  options: string[];
  /** What options are called, "" for any; without, they are their own names. */
  names?: Record<string, string>;
  set: (value: string) => void;
}

function Choice({ label, value, options, names = {}, set }: ChoiceProps) {
  const shown = [...new Set([...options, value])].filter(Boolean);
  return (
    <Select
      size="xs"
      width="9rem"
      label={label}
      value={value}
      set={set}
      options={[
        ["", names[""] ?? `any ${label.toLowerCase()}`],
        ...shown.map((o) => [o, names[o] ?? o] as const),
      ]}
    />
  );
}

interface RowsProps {
  rows: Page[];
  home: string;
  total: number;
  base: string;
  columns: PageColumn[];
  sort: string;
  sortBy: (column: PageColumn) => void;
  more: () => void;
}

function Rows({ rows, home, total, base, columns, sort, sortBy, more }: RowsProps) {
  const template = columns.map((c) => c.width).join(" ");
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
      <Box minW={`${28 + 4.5 * columns.length}rem`}>
        <Box
          role="row"
          display="grid"
          gridTemplateColumns={template}
          columnGap="3"
          px="5"
          py="1"
          position="sticky"
          top="0"
          zIndex="1"
          bg="bg.subtle"
        >
          {columns.map((h) => (
            <Box
              key={h.key}
              role="columnheader"
              textAlign={h.end ? "end" : "start"}
              aria-sort={
                !h.sort
                  ? undefined
                  : sort === h.sort
                    ? "ascending"
                    : sort === `-${h.sort}`
                      ? "descending"
                      : "none"
              }
            >
              {h.sort ? (
                <chakra.button
                  type="button"
                  cursor="pointer"
                  color="fg.muted"
                  fontSize="sm"
                  onClick={() => sortBy(h)}
                >
                  {h.label}
                  {sort === h.sort ? " ↑" : sort === `-${h.sort}` ? " ↓" : ""}
                </chakra.button>
              ) : (
                <Box as="span" color="fg.muted" fontSize="sm">
                  {h.label}
                </Box>
              )}
            </Box>
          ))}
        </Box>
        <Box role="rowgroup" height={`${view.getTotalSize()}px`} position="relative">
          {items.map((item) => {
            const p = rows[item.index];
            return (
              p && (
                <Row
                  key={p.address}
                  p={p}
                  home={home}
                  base={base}
                  columns={columns}
                  template={template}
                  index={item.index}
                  top={item.start}
                />
              )
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

interface RowProps {
  p: Page;
  home: string;
  base: string;
  columns: PageColumn[];
  template: string;
  index: number;
  top: number;
}

function Row({ p, home, base, columns, template, index, top }: RowProps) {
  return (
    <Box
      role="row"
      aria-rowindex={index + 2}
      position="absolute"
      width="100%"
      height="33px"
      transform={`translateY(${top}px)`}
      display="grid"
      gridTemplateColumns={template}
      columnGap="3"
      alignItems="center"
      px="5"
      borderBottomWidth="1px"
      bg="bg.panel"
      _hover={{ bg: "bg.subtle" }}
    >
      {columns.map((c) => (
        <Box
          key={c.key}
          role="cell"
          minW="0"
          truncate
          textAlign={c.end ? "end" : "start"}
          title={c.title?.(p)}
        >
          {c.cell(p, home, base)}
        </Box>
      ))}
    </Box>
  );
}

interface ColumnChoiceProps {
  all: PageColumn[];
  shown: PageColumn[];
  set: (names: string[]) => void;
  usual: () => void;
}

/** Which columns are shown; the choice stands in the address bar. */
function ColumnChoice({ all, shown, set, usual }: ColumnChoiceProps) {
  const names = shown.map((c) => c.key);
  return (
    <Menu.Root closeOnSelect={false}>
      <Menu.Trigger asChild>
        <Button size="xs" variant="outline">
          Columns
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel" maxH="24rem">
            {all.slice(1).map((c) => (
              <Menu.CheckboxItem
                key={c.key}
                value={c.key}
                checked={names.includes(c.key)}
                onCheckedChange={(on) => set(on ? [...names, c.key] : names.filter((n) => n !== c.key))}
              >
                {c.label}
                <Menu.ItemIndicator />
              </Menu.CheckboxItem>
            ))}
            <Menu.Separator />
            <Menu.Item value="usual" onClick={usual}>
              The usual ones
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
