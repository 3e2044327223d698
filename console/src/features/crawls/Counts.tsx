import { Box, Flex, Heading, Text } from "@chakra-ui/react";
import { whole } from "../../lib/format";

const most = 8;

interface Props {
  title: string;
  counts?: Record<string, number> | null;
  byName?: boolean; // in order of number, not of count
  home?: string; // whose host is left off the names
}

/** A short list of counts, the largest first. */
export function Counts({ title, counts, byName, home }: Props) {
  const host = home ? new URL(home).host : "";
  const rows = Object.entries(counts ?? {}).sort((a, b) => (byName ? +a[0] - +b[0] : b[1] - a[1]));
  const rest = rows.slice(most).reduce((sum, r) => sum + r[1], 0);
  if (rows.length === 0) return null; // nothing is known yet
  return (
    <Box as="section" aria-label={title} minW="0">
      <Heading as="h2" size="sm" mb="1">
        {title}
      </Heading>
      {rows.slice(0, most).map(([name, n]) => (
        <Row key={name} name={host && name.startsWith(host) ? name.slice(host.length) : name} n={n} />
      ))}
      {rest > 0 && <Row name="all others" n={rest} />}
    </Box>
  );
}

function Row({ name, n }: { name: string; n: number }) {
  return (
    <Flex gap="3" fontSize="sm" justify="space-between" borderBottomWidth="1px" py="0.5">
      <Text truncate title={name}>
        {name}
      </Text>
      <Text fontVariantNumeric="tabular-nums">{whole(n)}</Text>
    </Flex>
  );
}
