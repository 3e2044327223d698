import { chakra, Link } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import { shortAddress } from "../lib/format";

/** An address on one line, shortened in its middle when there is no room; whole on hover. */
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
  if (!to) return parts;
  return (
    <Link asChild color="accent" minW="0" maxW="100%" minH="24px" display="inline-flex">
      <RouterLink to={to}>{parts}</RouterLink>
    </Link>
  );
}
