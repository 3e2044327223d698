import { Box, chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  /** Names with what is said of them; a name may stand more than once. */
  rows: [string, ReactNode][];
  /** Whether it stands beside something else. */
  small?: boolean;
}

/** What is known of one thing, by name. */
export function Facts({ rows, small }: Props) {
  return (
    <Box
      as="dl"
      fontSize={small ? "sm" : undefined}
      display="grid"
      gridTemplateColumns={`minmax(${small ? "6.5rem" : "8rem"}, auto) minmax(0, 1fr)`}
      columnGap={small ? "3" : "4"}
      rowGap={small ? undefined : "1"}
    >
      {rows.map(([name, value], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: names stand more than once
        <chakra.div key={i} display="contents">
          <Box as="dt" color="fg.muted">
            {name}
          </Box>
          <Box as="dd" overflowWrap="anywhere" minW="0">
            {value}
          </Box>
        </chakra.div>
      ))}
    </Box>
  );
}
