import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import type { Ref } from "react";
import type { Fix } from "../../api/types";
import { gain, points, whole } from "../../lib/format";
import { Sign } from "../../ui/Sign";

export const columns = {
  base: "40px minmax(0, 1fr) 3.6rem",
  md: "40px minmax(0, 1fr) 3.2rem 3.6rem 4rem 5.2rem 3.8rem",
};

interface Props {
  ref: Ref<HTMLDivElement>;
  fix: Fix;
  index: number;
  top: number;
  open: boolean;
  /** The list is in the order for which the running total was made. */
  running: boolean;
  choose: (id: string) => void;
  /** Left out where nothing can be ticked. */
  ticked?: boolean;
  tick: (index: number, through: boolean) => void;
}

/** One line of the fix list. */
export function FixRow({ ref, fix: f, index, top, open, running, choose, ticked, tick }: Props) {
  return (
    <Box
      ref={ref}
      data-index={index}
      role="row"
      aria-rowindex={index + 2}
      aria-selected={open}
      position="absolute"
      top="0"
      left="0"
      width="100%"
      transform={`translateY(${top}px)`}
      display="grid"
      gridTemplateColumns={columns}
      columnGap="2"
      alignItems="start"
      px={{ base: "3", md: "5" }}
      py="1.5"
      borderBottomWidth="1px"
      bg={open ? "accent.soft" : "bg.panel"}
      _hover={{ bg: open ? "accent.soft" : "bg.subtle" }}
    >
      <Flex role="cell" align="center" height="1.5em" gap="1.5">
        {ticked !== undefined && (
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label={`Choose: ${f.line}`}
            checked={ticked}
            onClick={(e) => tick(index, e.shiftKey)}
            onChange={() => {}}
          />
        )}
        <Sign severity={f.severity} />
      </Flex>
      <Box role="cell" minW="0">
        <chakra.button
          type="button"
          minH="24px"
          textAlign="start"
          cursor="pointer"
          overflowWrap="anywhere"
          aria-expanded={open}
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

export function Figure({ children, head, wide }: { children: string; head?: boolean; wide?: boolean }) {
  return (
    <Box role={head ? "columnheader" : "cell"} textAlign="end" hideBelow={wide ? "md" : undefined}>
      {children}
    </Box>
  );
}
