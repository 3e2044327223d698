import { Text } from "@chakra-ui/react";
import type { Check } from "../../api/types";

/** What a check looks for, why, how to mend it, and what it goes by. */
export function CheckText({ check: c }: { check: Check }) {
  return (
    <>
      <Text mb="1">{c.what}</Text>
      <Text mb="1">{c.why}</Text>
      <Text mb="1">{c.how}</Text>
      {c.limits.map((l) => (
        <Text key={l.name} fontSize="sm">
          Threshold {l.name}: {l.default} {l.unit}. {l.doc}
        </Text>
      ))}
      {c.source && (
        <Text fontSize="sm" color="fg.muted">
          Rests on: {c.source}
        </Text>
      )}
    </>
  );
}
