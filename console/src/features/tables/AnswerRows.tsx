import { Box, chakra, Link } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { Link as RouterLink } from "react-router";
import type { Fact } from "../../api/types";
import { Address } from "../../ui/Address";
import { isAddress, isNumber, said } from "./wording";

interface Props {
  of: string;
  columns: Fact[];
  rows: unknown[][];
  total: number;
  home: string;
  base: string;
  order: string;
  sortBy: (fact: Fact) => void;
  more: () => void;
  /** The pages that are chosen, by address. */
  chosen: ReadonlySet<string>;
  toggle: (address: string) => void;
}

/** Where a row says which page it is about; −1 where it does not. */
export const pageAt = (columns: Fact[]): number =>
  columns.findIndex((f) => /^(page\.|source\.)?address$/.test(f.name));

const width = (f: Fact): string =>
  isAddress(f)
    ? "minmax(13rem, 3fr)"
    : isNumber(f) || f.kind === "yes-no"
      ? "minmax(5.5rem, 0.6fr)"
      : "minmax(8rem, 2fr)";

/** The rows that a question holds of; only those in view are drawn. */
export function AnswerRows({
  of,
  columns,
  rows,
  total,
  home,
  base,
  order,
  sortBy,
  more,
  chosen,
  toggle,
}: Props) {
  const page = pageAt(columns);
  const template = `${page < 0 ? "" : "1.5rem "}${columns.map(width).join(" ")}`;
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
  const sorted = (f: Fact) =>
    order === f.name ? "ascending" : order === `-${f.name}` ? "descending" : "none";
  return (
    <Box
      ref={scroll}
      flex="1"
      minH="0"
      overflow="auto"
      role="table"
      aria-label={`The ${of} of the answer`}
      aria-rowcount={total + 1}
      tabIndex={0}
    >
      <Box minW={`${6 + 7 * columns.length}rem`}>
        <Box role="rowgroup" position="sticky" top="0" zIndex="1">
          <Box
            role="row"
            display="grid"
            gridTemplateColumns={template}
            columnGap="3"
            px={{ base: "3", md: "5" }}
            py="1"
            bg="bg.subtle"
          >
            {page >= 0 && (
              <Box role="columnheader">
                <Box srOnly>chosen</Box>
              </Box>
            )}
            {columns.map((f) => (
              <Box
                key={f.name}
                role="columnheader"
                textAlign={isNumber(f) ? "end" : "start"}
                aria-sort={sorted(f)}
              >
                <chakra.button
                  type="button"
                  cursor="pointer"
                  color="fg.muted"
                  fontSize="sm"
                  minH="24px"
                  textAlign="inherit"
                  title={f.say}
                  onClick={() => sortBy(f)}
                >
                  {f.label}
                  {sorted(f) === "ascending" ? " ↑" : sorted(f) === "descending" ? " ↓" : ""}
                </chakra.button>
              </Box>
            ))}
          </Box>
        </Box>
        <Box role="rowgroup" height={`${view.getTotalSize()}px`} position="relative">
          {items.map((item) => {
            const row = rows[item.index];
            return (
              row && (
                <Box
                  key={item.key}
                  role="row"
                  aria-rowindex={item.index + 2}
                  position="absolute"
                  width="100%"
                  height="33px"
                  transform={`translateY(${item.start}px)`}
                  display="grid"
                  gridTemplateColumns={template}
                  columnGap="3"
                  alignItems="center"
                  px={{ base: "3", md: "5" }}
                  borderBottomWidth="1px"
                  bg="bg.panel"
                  _hover={{ bg: "bg.subtle" }}
                >
                  {page >= 0 && (
                    <Box role="cell" display="flex">
                      <chakra.input
                        type="checkbox"
                        accentColor="accent"
                        width="16px"
                        height="16px"
                        aria-label={`Choose ${said({ name: "", label: "", kind: "words" }, row[page])}`}
                        checked={chosen.has(String(row[page]))}
                        onChange={() => toggle(String(row[page]))}
                      />
                    </Box>
                  )}
                  {columns.map((f, i) => (
                    <Box
                      key={f.name}
                      role="cell"
                      minW="0"
                      truncate
                      textAlign={isNumber(f) ? "end" : "start"}
                      title={isNumber(f) ? undefined : said(f, row[i])}
                    >
                      <Cell fact={f} value={row[i]} home={home} base={base} />
                    </Box>
                  ))}
                </Box>
              )
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

function Cell({ fact, value, home, base }: { fact: Fact; value: unknown; home: string; base: string }) {
  if (isAddress(fact) && typeof value === "string" && value) {
    return <Address address={value} home={home} to={`${base}/page?address=${encodeURIComponent(value)}`} />;
  }
  if (fact.name === "check" && typeof value === "string") {
    return (
      <Link asChild color="accent">
        <RouterLink to={`${base}/fixes?check=${value}`}>{value}</RouterLink>
      </Link>
    );
  }
  return <>{said(fact, value) || "–"}</>;
}
