import { Box, Text } from "@chakra-ui/react";
import type { Noticed } from "../../api/types";
import { count } from "../../lib/format";
import { moment } from "../../lib/time";

const quoted = (s: string) =>
  s === "" ? "nothing" : `“${s.replace(/\s+/g, " ").slice(0, 160)}${s.length > 160 ? "…" : ""}”`;

/** What was otherwise than before, the newest first. */
export function Changes({ all }: { all: Noticed[] }) {
  if (all.length === 0) return null;
  return (
    <Box>
      <Text fontWeight="600">{count(all.length, "change", "changes")}</Text>
      {all.slice(0, 50).map((n, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: what changed has no name of its own
        <Box key={i} mb="1" overflowWrap="anywhere">
          <Text as="span" color="fg.muted">
            {moment(n.at)}
          </Text>{" "}
          {n.watch && `${n.watch}, `}
          {n.label}
          {n.lines ? (
            <Box as="pre" fontSize="sm" ps="4" whiteSpace="pre-wrap">
              {n.lines.join("\n")}
            </Box>
          ) : n.was === "" && n.now === "" ? null : (
            `: ${quoted(n.was)} → ${quoted(n.now)}`
          )}
        </Box>
      ))}
    </Box>
  );
}
