import { Box, Button, Flex, Heading, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { FixEntry } from "../../api/types";
import { count } from "../../lib/format";

interface Props {
  entries: FixEntry[];
  /** How many there are; only the first few hundred are named. */
  cases: number;
  newest: boolean;
  claim: (entry: FixEntry) => void;
  recheck: (entry: FixEntry) => void;
}

const atFirst = 8;

/** What a line for several targets or values is made of, each with work of its own. */
export function Entries({ entries, cases, newest, claim, recheck }: Props) {
  const [all, setAll] = useState(false);
  const shown = all ? entries : entries.slice(0, atFirst);
  return (
    <Box as="section" aria-label="Cases" mb="3">
      <Heading as="h3" size="sm" mb="1">
        {count(cases, "case", "cases")}
      </Heading>
      {shown.map((e) => (
        <Flex key={e.id} align="center" gap="2" py="1" borderBottomWidth="1px" role="group">
          <Box flex="1" minW="0">
            <Text overflowWrap="anywhere">{e.line}</Text>
            {e.state && e.state !== "open" && (
              <Text fontSize="sm" color="fg.muted">
                {e.state}
              </Text>
            )}
          </Box>
          {newest && (
            <>
              <Button size="2xs" variant="outline" aria-label={`Claim: ${e.line}`} onClick={() => claim(e)}>
                {e.state === "claimed" ? "Open" : "Claim"}
              </Button>
              <Button
                size="2xs"
                variant="outline"
                aria-label={`Recheck: ${e.line}`}
                onClick={() => recheck(e)}
              >
                Recheck
              </Button>
            </>
          )}
        </Flex>
      ))}
      {entries.length > shown.length && (
        <Button size="xs" variant="ghost" mt="1" onClick={() => setAll(true)}>
          Show {entries.length - shown.length} more
        </Button>
      )}
      {all && cases > entries.length && (
        <Text fontSize="sm" color="fg.muted">
          {count(cases - entries.length, "more is", "more are")} on the pages below.
        </Text>
      )}
    </Box>
  );
}
