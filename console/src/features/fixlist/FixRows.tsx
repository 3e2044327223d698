import { Box, chakra, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useRef } from "react";
import type { Fix } from "../../api/types";
import { gain, points, whole } from "../../lib/format";
import { Sign } from "../../ui/Sign";

interface Props {
  fixes: Fix[];
  /** The list is in the order for which the running total was made. */
  running: boolean;
  total: number;
  open: string;
  choose: (id: string) => void;
  more: () => void;
}

const columns = {
  base: "22px minmax(0, 1fr) 3.6rem",
  md: "22px minmax(0, 1fr) 3.2rem 3.6rem 4rem 3.6rem 3.8rem",
};

/** The fixes, in order; only the rows in view are drawn. Arrow keys move, Enter opens. */
export function FixRows({ fixes, running, total, open, choose, more }: Props) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: fixes.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => 44,
    overscan: 12,
  });
  const items = rows.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= fixes.length - 20) more();
  }, [last, fixes.length, more]);
  const move = (e: KeyboardEvent<HTMLElement>) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (!step) return;
    e.preventDefault();
    const index =
      Number((e.target as HTMLElement).closest<HTMLElement>("[data-index]")?.dataset.index) + step;
    rows.scrollToIndex(index);
    requestAnimationFrame(() =>
      scroll.current?.querySelector<HTMLElement>(`[data-index="${index}"] button`)?.focus(),
    );
  };
  return (
    <Box
      ref={scroll}
      height="100%"
      overflowY="auto"
      role="table"
      aria-label="Fix list"
      aria-rowcount={total + 1}
      onKeyDown={move}
    >
      <Box
        display="grid"
        gridTemplateColumns={columns}
        columnGap="2"
        px={{ base: "3", md: "5" }}
        py="1"
        position="sticky"
        top="0"
        zIndex="1"
        bg="bg.subtle"
        color="fg.muted"
        fontSize="sm"
        role="row"
      >
        <Box role="columnheader" aria-label="Severity" />
        <Box role="columnheader">What is wrong, and where</Box>
        <Figure head>Pages</Figure>
        <Figure head wide>
          Gain
        </Figure>
        <Box role="columnheader" hideBelow="md">
          Effort
        </Box>
        <Box role="columnheader" hideBelow="md">
          State
        </Box>
        <Figure head wide>
          After it
        </Figure>
      </Box>
      <Box height={`${rows.getTotalSize()}px`} position="relative" role="rowgroup">
        {items.map((item) => {
          const f = fixes[item.index];
          if (!f) return null;
          return (
            <Box
              key={f.id}
              ref={rows.measureElement}
              data-index={item.index}
              role="row"
              aria-rowindex={item.index + 2}
              aria-selected={f.id === open}
              position="absolute"
              top="0"
              left="0"
              width="100%"
              transform={`translateY(${item.start}px)`}
              display="grid"
              gridTemplateColumns={columns}
              columnGap="2"
              alignItems="start"
              px={{ base: "3", md: "5" }}
              py="1.5"
              borderBottomWidth="1px"
              bg={f.id === open ? "accent.soft" : "bg.panel"}
              _hover={{ bg: f.id === open ? "accent.soft" : "bg.subtle" }}
            >
              <Flex role="cell" align="center" height="1.5em">
                <Sign severity={f.severity} />
              </Flex>
              <Box role="cell" minW="0">
                <chakra.button
                  type="button"
                  textAlign="start"
                  cursor="pointer"
                  overflowWrap="anywhere"
                  aria-expanded={f.id === open}
                  onClick={() => choose(f.id)}
                >
                  {f.line}
                </chakra.button>
              </Box>
              <Figure>{whole(f.pages)}</Figure>
              <Figure wide>{gain(f.gain)}</Figure>
              <Box role="cell" hideBelow="md">
                {f.effort}
              </Box>
              <Box role="cell" hideBelow="md">
                {f.state}
              </Box>
              <Figure wide>{running ? points(f.healthAfter) : ""}</Figure>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

function Figure({ children, head, wide }: { children: string; head?: boolean; wide?: boolean }) {
  return (
    <Box role={head ? "columnheader" : "cell"} textAlign="end" hideBelow={wide ? "md" : undefined}>
      {children}
    </Box>
  );
}
