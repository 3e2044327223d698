import { chakra, Link } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import { shortAddress } from "../lib/format";
import { isAtLeast, useMe } from "../lib/me";

/**
 * An address on one line, shortened in its middle when there is no room; whole on hover. It leads to what is known of
 * it, and those to whom that is not shown to the page itself.
 */
export function Address({ address, home, to }: { address: string; home: string; to?: string }) {
  const text = shortAddress(address, home);
  const cut = Math.max(Math.floor(text.length / 2), text.length - 22);
  const parts =
    text.length <= 24 ? (
      <chakra.span title={address}>{text}</chakra.span>
    ) : (
      <chakra.span display="inline-flex" maxW="100%" minW="0" title={address}>
        <chakra.span overflow="hidden" textOverflow="ellipsis" whiteSpace="pre">
          {text.slice(0, cut)}
        </chakra.span>
        <chakra.span whiteSpace="pre" flex="none">
          {text.slice(cut)}
        </chakra.span>
      </chakra.span>
    );
  const sees = isAtLeast(useMe(), "reader");
  if (!to) return parts;
  if (!sees)
    return (
      <Link
        href={address}
        target="_blank"
        rel="noreferrer"
        color="accent"
        minW="0"
        maxW="100%"
        minH="24px"
        display="inline-flex"
      >
        {parts}
      </Link>
    );
  return (
    <Link asChild color="accent" minW="0" maxW="100%" minH="24px" display="inline-flex">
      <RouterLink to={to}>{parts}</RouterLink>
    </Link>
  );
}
