import { Box, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useRef } from "react";
import type { Fix } from "../../api/types";
import { columns, Figure, FixRow } from "./FixRow";

interface Props {
  fixes: Fix[];
  /** The list is in the order for which the running total was made. */
  running: boolean;
  total: number;
  open: string;
  choose: (id: string) => void;
  more: () => void;
  /** The fixes that are ticked; without, the list is only to be read. */
  chosen?: ReadonlySet<string>;
  setChosen: (chosen: ReadonlySet<string>) => void;
  /** Ticks all, also those that are not loaded yet. */
  chooseAll: () => void;
  /** Does what a key stands for, with the fix that has the focus. */
  act: (key: string, fix: Fix) => void;
}

const keys =
  "Keys: j k move, Enter opens, x chooses, t takes, c claims, o opens again, w waives, r rechecks, u undoes";

/** The fixes, in order; only the rows in view are drawn. Keys work while the focus is in the list. */
export function FixRows({
  fixes,
  running,
  total,
  open,
  choose,
  more,
  chosen,
  setChosen,
  chooseAll,
  act,
}: Props) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: fixes.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => 44,
    getItemKey: (index) => fixes[index]?.id ?? index, // a row keeps its height when the list is narrowed
    overscan: 12,
  });
  const items = rows.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= fixes.length - 20) more();
  }, [last, fixes.length, more]);
  const anchor = useRef(-1);
  /** Ticks a fix, or with Shift all from the last one ticked. */
  const tick = (index: number, through: boolean) => {
    if (!chosen) return;
    const next = new Set(chosen);
    const on = !chosen.has(fixes[index]?.id ?? "");
    const from = through && anchor.current >= 0 ? anchor.current : index;
    for (const f of fixes.slice(Math.min(from, index), Math.max(from, index) + 1)) {
      if (on) next.add(f.id);
      else next.delete(f.id);
    }
    anchor.current = index;
    setChosen(next);
  };
  const press = (e: KeyboardEvent<HTMLElement>) => {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    const at = Number((e.target as HTMLElement).closest<HTMLElement>("[data-index]")?.dataset.index);
    const fix = fixes[at];
    if (!fix) return;
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[e.key];
    if (step) {
      e.preventDefault();
      const index = Math.min(fixes.length - 1, Math.max(0, at + step));
      rows.scrollToIndex(index);
      requestAnimationFrame(() =>
        scroll.current?.querySelector<HTMLElement>(`[data-index="${index}"] button`)?.focus(),
      );
      const next = fixes[index];
      if (open && next && next.id !== open) choose(next.id);
    } else if (e.key === "Escape" && open) choose(open);
    else if (chosen && e.key === "x") tick(at, false);
    else if (chosen && "tcowru".includes(e.key)) {
      e.preventDefault();
      act(e.key, fix);
    }
  };
  return (
    <Box
      ref={scroll}
      height="100%"
      overflowY="auto"
      role="table"
      aria-label="Fix list"
      aria-rowcount={total + 1}
      onKeyDown={press}
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
        <Flex role="columnheader" aria-label="Severity" align="center" title={chosen && keys}>
          {chosen && (
            <input
              type="checkbox"
              aria-label="Choose all that are listed"
              checked={fixes.length === total && fixes.every((f) => chosen.has(f.id))}
              onChange={(e) => (e.target.checked ? chooseAll() : setChosen(new Set()))}
            />
          )}
        </Flex>
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
            <FixRow
              key={f.id}
              ref={rows.measureElement}
              fix={f}
              index={item.index}
              top={item.start}
              open={f.id === open}
              running={running}
              choose={choose}
              ticked={chosen?.has(f.id)}
              tick={tick}
            />
          );
        })}
      </Box>
    </Box>
  );
}
