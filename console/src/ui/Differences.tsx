import { Box, Text } from "@chakra-ui/react";
import type { RenderingDifference } from "../api/types";
import { count, shortAddress } from "../lib/format";

const most = 12;

/** What stands only in the source, and what only scripts make, kind by kind. */
export function Differences({ differs, home }: { differs: RenderingDifference[]; home: string }) {
  if (differs.length === 0) return <Text>Scripts change nothing of what the source says.</Text>;
  return (
    <Box overflowX="auto">
      <Box as="table" fontSize="sm" width="100%" css={{ tableLayout: "fixed", minWidth: "30rem" }}>
        <Box as="thead" textAlign="left" color="fg.muted">
          <tr>
            <Box as="th" width="8rem" fontWeight="400" pb="1">
              Scripts change
            </Box>
            <Box as="th" fontWeight="400" pb="1">
              only in the source
            </Box>
            <Box as="th" fontWeight="400" pb="1">
              only after scripts
            </Box>
          </tr>
        </Box>
        <tbody>
          {differs.map((d) => (
            <Box as="tr" key={d.what} verticalAlign="top" borderTopWidth="1px">
              <Box as="th" textAlign="left" fontWeight="600" py="1.5" pr="3">
                {d.label}
              </Box>
              <Values values={d.source} home={home} />
              <Values values={d.built} home={home} more={d.more} />
            </Box>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

function Values({ values, home, more }: { values: string[]; home: string; more?: number }) {
  const left = Math.max(0, values.length - most) + (more ?? 0);
  return (
    <Box as="td" py="1.5" pr="4" overflowWrap="anywhere">
      {values.length === 0 && (
        <Box as="span" color="fg.muted">
          –
        </Box>
      )}
      {values.slice(0, most).map((v, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a value can stand twice
        <Box key={i}>{shortAddress(v, home)}</Box>
      ))}
      {left > 0 && <Box color="fg.muted">{`and ${count(left, "more", "more")}`}</Box>}
    </Box>
  );
}
