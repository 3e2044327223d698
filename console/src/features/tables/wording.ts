import type { Fact, FactTable, FormComparison, QuestionPart } from "../../api/types";
import { bytes, points, whole } from "../../lib/format";

/** A cell in words, by its fact's kind and unit; "" for what is not known. */
export function said(fact: Fact, value: unknown): string {
  if (value === null || value === undefined) return "";
  if (Array.isArray(value)) return value.join(", ");
  if (typeof value === "object") {
    return Object.entries(value)
      .map(([name, v]) => `${name} ${v}`)
      .join(", ");
  }
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value !== "number") return String(value);
  if (fact.unit === "bytes") return bytes(value);
  if (fact.unit === "points") return points(value);
  if (Number.isInteger(value)) return whole(value) + (fact.unit ? ` ${fact.unit}` : "");
  return String(Math.round(value * 1e4) / 1e4);
}

/** Whether cells of a fact are numbers, and stand at the end of their column. */
export const isNumber = (fact: Fact): boolean => fact.kind === "whole" || fact.kind === "decimal";

/** Whether a fact names an address: the one of a row, or of what a row has to do with. */
export const isAddress = (fact: Fact): boolean =>
  /(^|\.)(address|canonical|redirect|end|to|target)$/.test(fact.name);

export const tableOf = (tables: FactTable[], name: string): FactTable | undefined =>
  tables.find((t) => t.name === (name || tables[0]?.name));

/** A text as CEL writes it. */
const quoted = (text: string): string => JSON.stringify(text);

/** A value as CEL writes it for a fact. */
function literal(fact: Fact | undefined, value: string): string {
  if (fact?.kind === "whole") return /^-?\d+$/.test(value) ? value : "0";
  if (fact?.kind === "decimal") {
    const n = Number(value);
    return Number.isFinite(n) ? (Number.isInteger(n) ? `${n}.0` : String(n)) : "0.0";
  }
  return quoted(value);
}

/** A condition as it stands in a question. */
export function written(part: QuestionPart, table: FactTable, comparisons: FormComparison[]): string {
  const comparison = comparisons.find((c) => c.name === part.is);
  const fact = table.facts.find((f) => f.name === part.fact);
  return (comparison?.write ?? "F").replace(/[FV]/g, (letter) =>
    letter === "F" ? part.fact : literal(fact, part.value),
  );
}
