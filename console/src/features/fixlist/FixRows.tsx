import { Box, chakra, Flex, Text } from "@chakra-ui/react";
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
  /** The fixes that are ticked; without, the list is only to be read. */
  chosen?: ReadonlySet<string>;
  setChosen: (chosen: ReadonlySet<string>) => void;
  /** Ticks all, also those that are not loaded yet. */
  chooseAll: () => void;
  /** Does what a key stands for, with the fix that has the focus. */
  act: (key: string, fix: Fix) => void;
}

const columns = {
  base: "40px minmax(0, 1fr) 3.6rem",
  md: "40px minmax(0, 1fr) 3.2rem 3.6rem 4rem 5.2rem 3.8rem",
};

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
              <Flex role="cell" align="center" height="1.5em" gap="1.5">
                {chosen && (
                  <input
                    type="checkbox"
                    tabIndex={-1}
                    aria-label={`Choose: ${f.line}`}
                    checked={chosen.has(f.id)}
                    onClick={(e) => tick(item.index, e.shiftKey)}
                    onChange={() => {}}
                  />
                )}
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
              <Box role="cell" hideBelow="md" minW="0">
                <StateWord fix={f} />
              </Box>
              <Figure wide>{running ? points(f.healthAfter) : ""}</Figure>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

/** The state, who is on it, and by when; what came back is said loudly. */
function StateWord({ fix }: { fix: Fix }) {
  const loud = fix.state === "returned";
  return (
    <>
      <Text
        as="span"
        color={
          fix.state === "open" || fix.state === "waived" ? "fg.muted" : loud ? "severity.error" : "accent"
        }
        fontWeight={loud ? "700" : fix.state === "open" ? "400" : "600"}
      >
        {fix.state}
      </Text>
      {fix.assignee && (
        <Text fontSize="xs" color="fg.muted" truncate title={fix.assignee}>
          {fix.assignee}
        </Text>
      )}
      {fix.due && (
        <Text fontSize="xs" color="fg.muted">
          by {fix.due}
        </Text>
      )}
    </>
  );
}

function Figure({ children, head, wide }: { children: string; head?: boolean; wide?: boolean }) {
  return (
    <Box role={head ? "columnheader" : "cell"} textAlign="end" hideBelow={wide ? "md" : undefined}>
      {children}
    </Box>
  );
}
