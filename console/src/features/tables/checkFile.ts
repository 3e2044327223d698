import { answer } from "../../api/queries";
import type { FactTable } from "../../api/types";

/** What is to be said of a check before it can be added. */
export const unsaid = {
  name: "",
  group: "copy",
  severity: "warning",
  effort: "minutes",
  title: "",
  why: "",
  how: "",
};

/** A file with one check. Its examples are a row of which the question holds, and one of which it does not. */
export async function checkFile(
  site: string,
  crawl: string,
  table: FactTable,
  question: string,
  form: typeof unsaid,
): Promise<string> {
  const names = facts(table, question);
  const one = (asked: string) => answerOf(site, crawl, table.name, asked, names);
  const [fires, passes] = await Promise.all([one(question), one(`!(${question})`)]);
  const { name, ...said } = form;
  const check = {
    ...said,
    id: `own-${name}`,
    of: table.name,
    question,
    fires: fires ? [fires] : [],
    passes: passes ? [passes] : [],
  };
  return JSON.stringify({ checks: [check] });
}

/** The facts that a question names. */
function facts(table: FactTable, question: string): string[] {
  const taken = [...question.matchAll(/\bfields\.(\w+)/g)].map((m) => `fields.${m[1]}`);
  const named = table.facts
    .filter((f) => f.kind !== "figures")
    .filter((f) => new RegExp(`(^|[^\\w.])${f.name.replace(/\./g, "\\.")}(?![\\w])`).test(question))
    .map((f) => f.name);
  return [...named, ...new Set(taken)];
}

/** The facts of the first row of which a question holds. */
async function answerOf(site: string, crawl: string, of: string, question: string, names: string[]) {
  const asked = answer(site, crawl, { of, question, columns: names.join(",") });
  const part = await asked.queryFn?.({ pageParam: 0 } as never);
  const row = part?.rows[0];
  if (!part || !row) return undefined;
  return Object.fromEntries(
    part.columns.map((c, i) => [c.name, row[i]]).filter(([, v]) => v !== null && v !== undefined),
  );
}
