import { Box, Text } from "@chakra-ui/react";
import type { TriedRule } from "../../api/types";
import { count } from "../../lib/format";
import { moment } from "../../lib/time";

/** What a rule would have told. */
export function Tried({ of: t }: { of: TriedRule }) {
  const within =
    t.crawls > 0
      ? `in ${count(t.crawls, "crawl", "crawls")}`
      : t.days > 0
        ? `in ${count(t.days, "day", "days")}`
        : "as things are now";
  const told = t.told.filter((x) => !x.over).length;
  return (
    <Box mt="2" role="status">
      <Text fontWeight="600">
        It would have told {told === 0 ? "nothing" : count(told, "thing", "things")} {within}
        {told > 0 && ":"}
      </Text>
      {t.told.slice(0, 40).map((x) => (
        <Text key={x.at + x.says}>
          {x.crawl ? `crawl ${x.crawl}` : moment(x.at)}: {x.over && "over: "}
          {x.says}
        </Text>
      ))}
    </Box>
  );
}
