import { Box, chakra, Flex, Link, Text } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import type { Heading, Place } from "../api/types";
import { count } from "../lib/format";
import { Address } from "./Address";
import { May } from "./May";

const maxPlaces = 12;

const pageLink = (base: string, address: string) => `${base}/page?address=${encodeURIComponent(address)}`;

interface Props {
  places: Place[];
  home: string;
  base: string;
  /** The page itself, where its text can be set beside those of the others. */
  compared?: string;
}

/** The places of a finding, with everything that proves it. */
export function Places({ places, home, base, compared }: Props) {
  return (
    <>
      {places.slice(0, maxPlaces).map((p, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: places have no other identity, and never change
        <Box key={i} fontSize="sm" mt="1">
          <Text overflowWrap="anywhere">
            {p.note}
            <Where place={p} />
          </Text>
          {p.value && !p.note.includes(p.value) && (
            <Text overflowWrap="anywhere" color="fg.muted">
              “{p.value}”
            </Text>
          )}
          {p.hops && p.hops.length > 1 && (
            <Box as="ol" pl="4" listStyleType="decimal">
              {p.hops.map((h, k) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a loop repeats its addresses
                <li key={k}>
                  <Flex gap="2" minW="0">
                    <Address address={h.address} home={home} to={pageLink(base, h.address)} />
                    <Box color="fg.muted">{h.status || ""}</Box>
                  </Flex>
                </li>
              ))}
            </Box>
          )}
          {p.others && p.others.length > 0 && (
            <Box pl="3" borderLeftWidth="2px">
              {p.others.slice(0, 6).map((o) => (
                <Flex key={o} gap="1" minW="0">
                  <Box as="span" color="fg.muted">
                    also
                  </Box>
                  <Address address={o} home={home} to={pageLink(base, o)} />
                  {compared && (
                    <May as="reader">
                      <Link asChild fontSize="sm" color="accent" flex="none">
                        <RouterLink
                          to={`${base}/compare?a=${encodeURIComponent(compared)}&b=${encodeURIComponent(o)}`}
                        >
                          side by side
                        </RouterLink>
                      </Link>
                    </May>
                  )}
                </Flex>
              ))}
              {(p.of ?? 0) > 7 && (
                <Text color="fg.muted">and {count((p.of ?? 0) - 7, "more page", "more pages")}</Text>
              )}
            </Box>
          )}
        </Box>
      ))}
      {places.length > maxPlaces && (
        <Text fontSize="sm" color="fg.muted">
          and {count(places.length - maxPlaces, "more place", "more places")}
        </Text>
      )}
    </>
  );
}

function Where({ place: p }: { place: Place }) {
  const parts = [];
  if (p.words) parts.push(`link “${p.words}”`);
  if (p.at) parts.push(`in ${p.at}`);
  if (p.line) parts.push(`line ${p.line}`);
  if (parts.length === 0) return null;
  return (
    <Box as="span" color="fg.muted">
      {" "}
      · {parts.join(", ")}
    </Box>
  );
}

/** A page's headings in order, indented by level; those on the marked lines stand out. */
export function Outline({ headings, marked = [] }: { headings: Heading[]; marked?: number[] }) {
  return (
    <Box mt="1" fontSize="sm">
      {headings.map((h, i) => (
        <Flex
          // biome-ignore lint/suspicious/noArrayIndexKey: headings repeat, which is the point
          key={i}
          gap="2"
          pl={`${(h.level - 1) * 14}px`}
          fontWeight={h.line && marked.includes(h.line) ? "700" : "400"}
        >
          <chakra.span color="fg.muted" flex="none">
            h{h.level}
          </chakra.span>
          <chakra.span overflowWrap="anywhere">{h.text || "(empty)"}</chakra.span>
        </Flex>
      ))}
    </Box>
  );
}
