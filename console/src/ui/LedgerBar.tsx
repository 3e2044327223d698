import { Box, chakra, Flex } from "@chakra-ui/react";
import type { LedgerLine, Severity } from "../api/types";
import { points } from "../lib/format";
import { Sign } from "./Sign";

export interface GroupLoss {
  group: string;
  points: number;
  worst: Severity;
}

const order: Severity[] = ["error", "warning", "notice"];

/** Adds the ledger up by group of checks, most points first. */
export function byGroup(ledger: LedgerLine[]): GroupLoss[] {
  const groups = new Map<string, GroupLoss>();
  for (const line of ledger) {
    const g = groups.get(line.group) ?? { group: line.group, points: 0, worst: line.severity };
    g.points += line.points;
    if (order.indexOf(line.severity) < order.indexOf(g.worst)) g.worst = line.severity;
    groups.set(line.group, g);
  }
  return [...groups.values()].sort((a, b) => b.points - a.points);
}

interface Props {
  health: number;
  groups: GroupLoss[];
  chosen: string;
  choose: (group: string) => void;
}

/** One bar of 100 points: what is kept, and what each group of checks took; each a filter. */
export function LedgerBar({ health, groups, chosen, choose }: Props) {
  return (
    <Box>
      <Flex
        height="26px"
        borderWidth="1px"
        overflow="hidden"
        rounded="sm"
        role="group"
        aria-label="Where the points went"
      >
        <Box width={`${health}%`} bg="accent" title={`${points(health)} points kept`} />
        {groups.map((g, i) => (
          <chakra.button
            key={g.group}
            type="button"
            tabIndex={-1} // too narrow to aim at: the legend does the same
            width={`${g.points}%`}
            minW={g.points > 0.05 ? "3px" : "0"}
            bg={`severity.${g.worst}`}
            opacity={chosen && chosen !== g.group ? 0.3 : 1 - (i % 3) * 0.18}
            borderLeftWidth="1px"
            borderColor="bg"
            cursor="pointer"
            aria-label={`${g.group} took ${points(g.points)} points`}
            aria-pressed={chosen === g.group}
            title={`${g.group} took ${points(g.points)} points`}
            onClick={() => choose(chosen === g.group ? "" : g.group)}
          />
        ))}
      </Flex>
      <Flex wrap="wrap" columnGap="4" rowGap="0.5" mt="1.5" fontSize="sm">
        <Box color="accent" fontWeight="600">
          {points(health)} kept
        </Box>
        {groups.map((g) => (
          <chakra.button
            key={g.group}
            type="button"
            minH="24px"
            display="inline-flex"
            alignItems="center"
            gap="1"
            cursor="pointer"
            fontWeight={chosen === g.group ? "700" : "400"}
            textDecoration={chosen === g.group ? "underline" : "none"}
            aria-pressed={chosen === g.group}
            onClick={() => choose(chosen === g.group ? "" : g.group)}
          >
            <Sign severity={g.worst} label={false} />
            {g.group} <Box as="span">{g.points < 0.05 ? "<0.1" : points(g.points)}</Box>
          </chakra.button>
        ))}
      </Flex>
    </Box>
  );
}
