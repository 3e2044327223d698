import { Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { FigureSet, PageRow } from "../../api/types";
import { bytes, points, whole } from "../../lib/format";
import { Address } from "../../ui/Address";
import { Sign } from "../../ui/Sign";

/** A column of the table of pages. */
export interface PageColumn {
  key: string;
  label: string;
  width: string;
  /** By what the service sorts it; without, it cannot be sorted. */
  sort?: string;
  /** Numbers, at the end of their column. */
  end?: boolean;
  /** Sorted from A, not from the highest. */
  words?: boolean;
  cell: (p: PageRow, home: string, base: string) => ReactNode;
  title?: (p: PageRow) => string;
}

type Text =
  | "kind"
  | "language"
  | "why"
  | "canonical"
  | "robots"
  | "hreflang"
  | "refresh"
  | "redirect"
  | "type"
  | "encoding"
  | "foundBy";

/** An address of the site without its host; anything else as it is. */
function within(text: string | undefined, home: string) {
  return home && text?.startsWith(home) ? text.slice(home.length - 1) : text;
}

/** A column of words. */
function said(key: Text, label: string, width: string): PageColumn {
  return {
    key,
    label,
    width,
    sort: key,
    words: true,
    cell: (p, home) => within(p[key], home),
    title: (p) => p[key] ?? "",
  };
}

/** A column of numbers that crawls of an earlier Harvik do not have. */
function number(key: "headings" | "images" | "linksOut", label: string): PageColumn {
  return {
    key,
    label,
    width: "5rem",
    sort: key,
    end: true,
    cell: (p) => (p[key] === undefined ? "" : whole(p[key])),
  };
}

const fixed: PageColumn[] = [
  {
    key: "address",
    label: "Address",
    width: "minmax(18rem, 3fr)",
    sort: "address",
    words: true,
    cell: (p, home, base) => (
      <Address address={p.address} home={home} to={`${base}/page?address=${encodeURIComponent(p.address)}`} />
    ),
  },
  {
    key: "status",
    label: "Status",
    width: "4.5rem",
    sort: "status",
    words: true,
    cell: (p) => p.status || p.outcome,
  },
  {
    key: "title",
    label: "Title",
    width: "minmax(12rem, 2.4fr)",
    sort: "title",
    words: true,
    cell: (p) => p.title,
    title: (p) => p.title,
  },
  {
    key: "description",
    label: "Description",
    width: "minmax(12rem, 2.4fr)",
    cell: (p) => p.description,
    title: (p) => p.description,
  },
  { key: "h1", label: "Main heading", width: "minmax(10rem, 2fr)", cell: (p) => p.h1, title: (p) => p.h1 },
  said("kind", "Kind", "5rem"),
  said("language", "Language", "5rem"),
  {
    key: "indexable",
    label: "Indexable",
    width: "5.5rem",
    sort: "indexable",
    cell: (p) => (p.html ? (p.indexable ? "yes" : "no") : ""),
  },
  said("why", "Why not", "minmax(10rem, 1.5fr)"),
  said("canonical", "Canonical", "minmax(12rem, 2.4fr)"),
  said("robots", "Robots", "8rem"),
  said("hreflang", "Hreflang", "8rem"),
  said("refresh", "Refresh", "8rem"),
  said("redirect", "Redirects to", "minmax(12rem, 2.4fr)"),
  said("type", "Type", "8rem"),
  said("encoding", "Encoding", "6rem"),
  said("foundBy", "Found by", "5.5rem"),
  {
    key: "inSitemap",
    label: "In sitemap",
    width: "5.5rem",
    sort: "inSitemap",
    cell: (p) => (p.inSitemap ? "yes" : "no"),
  },
  number("headings", "Headings"),
  number("images", "Images"),
  number("linksOut", "Links out"),
  {
    key: "words",
    label: "Words",
    width: "4.5rem",
    sort: "words",
    end: true,
    cell: (p) => (p.html ? whole(p.words) : ""),
  },
  { key: "bytes", label: "Size", width: "5rem", sort: "bytes", end: true, cell: (p) => bytes(p.bytes) },
  {
    key: "firstByte",
    label: "First byte",
    width: "5rem",
    sort: "firstByte",
    end: true,
    cell: (p) => `${whole(p.firstByte)} ms`,
  },
  {
    key: "clicks",
    label: "Clicks",
    width: "4rem",
    sort: "clicks",
    end: true,
    cell: (p) => p.clicks ?? "–",
  },
  {
    key: "linksIn",
    label: "Links in",
    width: "5rem",
    sort: "linksIn",
    end: true,
    cell: (p) => whole(p.linksIn),
  },
  {
    key: "importance",
    label: "Importance",
    width: "5.5rem",
    sort: "importance",
    end: true,
    cell: (p) => (p.html ? p.importance.toFixed(2) : ""),
  },
  {
    key: "findings",
    label: "Findings",
    width: "7.5rem",
    sort: "findings",
    cell: (p) => (
      <Flex gap="2" align="center">
        {(["error", "warning", "notice"] as const).map((s) => {
          const n = p[`${s}s`];
          return (
            n > 0 && (
              <Flex key={s} align="center" gap="0.5">
                <Sign severity={s} />
                {n}
              </Flex>
            )
          );
        })}
      </Flex>
    ),
  },
  {
    key: "health",
    label: "Health",
    width: "4.5rem",
    sort: "health",
    end: true,
    cell: (p) => (p.health === undefined ? "–" : points(p.health)),
  },
];

/** The columns shown unless others are chosen. */
const usual = ["address", "status", "title", "words", "clicks", "linksIn", "findings", "health"];

function figureText(value: number | string | undefined): string {
  if (value === undefined) return "";
  return typeof value === "string" ? value : Number.isInteger(value) ? whole(value) : String(value);
}

/** All columns there are: those of every site, and a site's own figures. */
export function allColumns(figures: FigureSet[]): PageColumn[] {
  const names = [...new Set(figures.map((f) => f.name))];
  return [
    ...fixed,
    ...names.map((name): PageColumn => {
      const number = figures.find((f) => f.name === name)?.kind !== "text";
      return {
        key: `figure:${name}`,
        label: name,
        width: "7rem",
        sort: number ? `figure:${name}` : undefined,
        end: number,
        cell: (p) => figureText(p.figures?.[name]),
      };
    }),
  ];
}

/** The columns that a list with commas names; the usual ones, and the own figures, if it is empty. */
export function shownColumns(all: PageColumn[], chosen: string): PageColumn[] {
  const names = chosen ? chosen.split(",") : [];
  return chosen
    ? all.filter((c) => c.key === "address" || names.includes(c.key))
    : all.filter((c) => usual.includes(c.key) || c.key.startsWith("figure:"));
}
