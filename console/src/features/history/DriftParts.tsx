import { Box, chakra, Flex, Link, Text } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Fix, Seen } from "../../api/types";
import { count, gain, shortAddress, whole } from "../../lib/format";
import { Address } from "../../ui/Address";
import { Sign } from "../../ui/Sign";

const shownAtFirst = 12;

/** A part of the report: its first rows, and the others on demand. Nothing where there are none. */
export function Part({
  title,
  n,
  loud,
  children,
}: {
  title: string;
  n: number;
  loud?: boolean;
  children: (i: number) => ReactNode;
}) {
  const [all, setAll] = useState(false);
  if (n === 0) return null;
  const shown = all ? Math.min(n, 2000) : Math.min(n, shownAtFirst);
  return (
    <Box as="section" aria-label={title} mt="4">
      <chakra.h2 fontWeight="600" color={loud ? "severity.error" : undefined} mb="1" overflowWrap="anywhere">
        {title}{" "}
        <chakra.span color="fg.muted" fontWeight="400">
          {whole(n)}
        </chakra.span>
      </chakra.h2>
      {Array.from({ length: shown }, (_, i) => children(i))}
      {n > shown && (
        <Link as="button" color="accent" fontSize="sm" onClick={() => setAll(true)}>
          Show {whole(n - shown)} more
        </Link>
      )}
    </Box>
  );
}

/** Fixes that came or went; those still listed lead to their line. */
export function Fixes({
  title,
  list,
  base,
  loud,
}: {
  title: string;
  list: Fix[];
  base?: string;
  loud?: boolean;
}) {
  return (
    <Part title={title} n={list.length} loud={loud}>
      {(i) => {
        const f = list[i];
        return (
          f && (
            <Flex key={f.id} gap="2" align="flex-start" minH="26px">
              <Box pt="1">
                <Sign severity={f.severity} />
              </Box>
              <Text flex="1" minW="0" overflowWrap="anywhere">
                {base ? (
                  <Link asChild color="fg">
                    <RouterLink to={`${base}/fixes?fix=${f.id}`}>{f.line}</RouterLink>
                  </Link>
                ) : (
                  f.line
                )}
              </Text>
              <Text color="fg.muted" flex="none">
                {count(f.pages, "page", "pages")}, {gain(f.gain)}
              </Text>
            </Flex>
          )
        );
      }}
    </Part>
  );
}

export function Pages({
  title,
  list,
  home,
  base,
}: {
  title: string;
  list: Seen[];
  home: string;
  base?: string;
}) {
  return (
    <Part title={title} n={list.length}>
      {(i) => {
        const s = list[i];
        return (
          s && (
            <Flex key={s.address} gap="3" minW="0">
              {base ? (
                <Address
                  address={s.address}
                  home={home}
                  to={`${base}/page?address=${encodeURIComponent(s.address)}`}
                />
              ) : (
                <Text overflowWrap="anywhere">{shortAddress(s.address, home)}</Text>
              )}
              <Text color="fg.muted" flex="none">
                {s.why}
              </Text>
            </Flex>
          )
        );
      }}
    </Part>
  );
}
