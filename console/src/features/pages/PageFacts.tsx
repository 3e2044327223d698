import { Box, Heading } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { PageDetail } from "../../api/types";
import { count, points, whole } from "../../lib/format";
import { Address } from "../../ui/Address";
import { Facts } from "../../ui/Facts";

/** A part of what is known about a page. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box as="section" mb="6">
      <Heading as="h2" size="sm" mb="1.5" pb="1" borderBottomWidth="1px">
        {title}
      </Heading>
      {children}
    </Box>
  );
}

/** What was read from a document. */
export function PageFacts({ d, home, base }: { d: PageDetail; home: string; base: string }) {
  const doc = d.facts?.document;
  const p = d.page;
  if (!doc || !p) return null;
  const rows: [string, ReactNode][] = [
    ["Title", doc.titles?.map((t) => t.text).join(" | ") || <None />],
    ["Description", doc.descriptions?.map((t) => t.text).join(" | ") || <None />],
    [
      "Canonical",
      doc.canonicals?.map((c) => (
        <Address
          key={c.href}
          address={c.address ?? c.href}
          home={home}
          to={`${base}/page?address=${encodeURIComponent(c.address ?? "")}`}
        />
      )) ?? <None />,
    ],
    ["Language", doc.lang || <None />],
    ["Search engines", p.indexable ? "may show it" : `may not show it${p.why ? `: ${p.why}` : ""}`],
    [
      "Main text",
      `${whole(Number(p.words))} words${doc.kind !== "page" ? `; taken for a ${doc.kind} page: ${doc.kindReason}` : ""}`,
    ],
    ["Images", count(doc.images?.length ?? 0, "image", "images")],
    ["Clicks from home", p.clicks === undefined ? "no link leads here" : String(p.clicks)],
    [
      "Health",
      p.health === undefined
        ? "not assessed"
        : `${points(Number(p.health))}, importance ${Number(p.importance).toFixed(2)}`,
    ],
    ["In a sitemap", d.inSitemap ? "yes" : "no"],
  ];
  return (
    <Part title="What was read">
      <Facts rows={rows} />
    </Part>
  );
}

const None = () => (
  <Box as="span" color="fg.muted">
    none
  </Box>
);
