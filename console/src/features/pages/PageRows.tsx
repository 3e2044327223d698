import { Box, chakra } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Page } from "../../api/types";
import type { PageColumn } from "./columns";

interface Props {
  rows: Page[];
  home: string;
  total: number;
  base: string;
  columns: PageColumn[];
  sort: string;
  sortBy: (column: PageColumn) => void;
  more: () => void;
}

/** The pages; only the rows in view are drawn. */
export function PageRows({ rows, home, total, base, columns, sort, sortBy, more }: Props) {
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
