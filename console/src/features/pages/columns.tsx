import { Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Column, FigureSet, Page } from "../../api/types";
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
  cell: (p: Page, home: string, base: string) => ReactNode;
  title?: (p: Page) => string;
}

/** An address of the site without its host; anything else as it is. */
function within(text: string, home: string) {
  return home && text.startsWith(home) ? text.slice(home.length - 1) : text;
}

/** A cell in words, by its column's kind and unit; "" for what is not known. */
function said(c: Column, value: unknown): string {
  if (value === undefined) return "";
  if (c.unit === "bytes") return bytes(Number(value));
  switch (c.kind) {
    case "whole":
      return whole(Number(value)) + (c.unit ? ` ${c.unit}` : "");
    case "decimal":
      return c.unit === "points" ? points(Number(value)) : Number(value).toFixed(2);
    case "yes-no":
      return value ? "yes" : "no";
  }
  return String(value);
}

/** Cells that are more than a text. */
const special: Record<string, PageColumn["cell"]> = {
  address: (p, home, base) => (
    <Address address={p.address} home={home} to={`${base}/page?address=${encodeURIComponent(p.address)}`} />
  ),
  status: (p) => String(p.status ?? p.outcome),
};

function fromService(c: Column): PageColumn {
  const words = c.kind === "words" || c.kind === "address";
  return {
    key: c.key,
    label: c.name.charAt(0).toUpperCase() + c.name.slice(1),
    width:
      words && c.width > 20
        ? `minmax(${c.width / 5}rem, ${c.width / 20}fr)`
        : `${Math.max(5, c.width / 1.8)}rem`,
    sort: c.key,
    words: words || c.key === "status",
    end: c.kind === "whole" || c.kind === "decimal",
    cell: special[c.key] ?? ((p, home) => within(said(c, p[c.key]), home)),
    title: (p) => (words ? said(c, p[c.key]) : ""),
  };
}

/** What fails on a page, by severity, in one column. */
const findings: PageColumn = {
  key: "findings",
  label: "Findings",
  width: "7.5rem",
  sort: "findings",
  cell: (p) => (
    <Flex gap="2" align="center">
      {(["error", "warning", "notice"] as const).map((s) => {
        const n = Number(p[`${s}s`] ?? 0);
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
};

/** The columns shown unless others are chosen. */
const usual = ["address", "status", "title", "words", "clicks", "linksIn", "findings", "health"];

function figureText(value: unknown): string {
  if (value === undefined) return "";
  return typeof value === "number" && Number.isInteger(value) ? whole(value) : String(value);
}

/** All columns there are: those that the service names, and a site's own figures. */
export function allColumns(known: Column[], figures: FigureSet[]): PageColumn[] {
  const names = [...new Set(figures.map((f) => f.name))];
  const health = known.findIndex((c) => c.key === "health");
  const own = known.map(fromService);
  own.splice(health, 0, findings);
  return [
    ...own,
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
