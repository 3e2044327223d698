import { Box, Button, Flex, Heading } from "@chakra-ui/react";
import { useState } from "react";
import type { Link as PageLink } from "../../api/types";
import { count } from "../../lib/format";
import { Address } from "../../ui/Address";

const first = 20;

/** The links of a page, in document order. */
export function LinksOut({ links, home, base }: { links: PageLink[]; home: string; base: string }) {
  const [all, setAll] = useState(false);
  return (
    <Box as="section" mb="6">
      <Heading as="h2" size="sm" mb="1.5" pb="1" borderBottomWidth="1px">
        {count(links.length, "link", "links")} out
      </Heading>
      {(all ? links.slice(0, 1000) : links.slice(0, first)).map((l, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: links repeat
        <Flex key={i} gap="3" fontSize="sm" minW="0" py="0.5" borderBottomWidth="1px">
          <Box flex="1" minW="0" truncate title={l.words}>
            {l.words ? `“${l.words}”` : "(no words)"}
          </Box>
          <Box flex="1" minW="0">
            {l.to ? (
              <Address address={l.to} home={home} to={`${base}/page?address=${encodeURIComponent(l.to)}`} />
            ) : (
              <Box as="span">no address: {l.href}</Box>
            )}
          </Box>
          <Box
            color={l.status && l.status >= 400 ? "severity.error" : "fg.muted"}
            flex="none"
            width="2rem"
            textAlign="end"
          >
            {l.status || ""}
          </Box>
        </Flex>
      ))}
      {!all && links.length > first && (
        <Button size="xs" variant="outline" mt="2" onClick={() => setAll(true)}>
          Show all {links.length}
        </Button>
      )}
    </Box>
  );
}
