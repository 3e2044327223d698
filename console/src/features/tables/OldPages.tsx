import { Navigate, useParams, useSearchParams } from "react-router";

const text = (value: string) => JSON.stringify(value);
const lower = (value: string) => text(value.toLowerCase());

/** What a status of an old filter means: a number, a class such as 4xx, or none. */
function status(value: string): string {
  if (value === "none") return "!known(status)";
  const hundreds = /^([1-5])xx$/.exec(value)?.[1];
  return hundreds ? `status >= ${hundreds}00 && status < ${hundreds}00 + 100` : `status == ${value}`;
}

/** The filters that the list of pages had, as conditions. */
const conditions: Record<string, (value: string) => string> = {
  search: (v) => `(address.lower().contains(${lower(v)}) || title.lower().contains(${lower(v)}))`,
  status,
  kind: (v) => ({ html: "known(words)", other: "!known(words)" })[v] ?? `kind == ${text(v)}`,
  check: (v) => `${text(v)} in fails`,
  fix: (v) => `${text(v)} in fixes`,
  indexable: (v) => (v === "yes" ? "indexable" : "!indexable"),
  reachable: (v) => (v === "yes" ? "known(clicks)" : "!known(clicks)"),
  why: (v) => `why.contains(${text(v)})`,
  section: (v) => `path.startsWith(${text(v)})`,
  having: (v) =>
    v.replace(
      /^\s*([^<>=!]+?)\s*([<>]=?|=)\s*(\S+)\s*$/,
      (_, name, sign, n) => `figures[${text(name)}] ${sign === "=" ? "==" : sign} ${Number(n)}`,
    ),
};

/** A column of the list of pages, as a fact. */
const fact = (name: string): string =>
  name.startsWith("figure:") ? `figures.${name.slice("figure:".length)}` : name;

/** Leads addresses of the list of pages that there once was to the question that shows the same. */
export function OldPages() {
  const { site, crawl } = useParams();
  const [params] = useSearchParams();
  const role = params.get("role");
  const parts = role && role !== "resources" ? [`role == ${text(role)}`] : [];
  for (const [name, condition] of Object.entries(conditions)) {
    const value = params.get(name);
    if (value) parts.push(condition(value));
  }
  const to = new URLSearchParams({ of: role ? "resources" : "pages" });
  if (parts.length > 0) to.set("question", parts.join(" && "));
  const columns = (params.get("columns") ?? "").split(",").filter((c) => c && c !== "findings");
  if (columns.length > 0) to.set("columns", columns.map(fact).join(","));
  const sort = params.get("sort") ?? "";
  if (sort && !sort.endsWith("findings")) {
    to.set("order", sort.startsWith("-") ? `-${fact(sort.slice(1))}` : fact(sort));
  }
  return <Navigate to={`/sites/${site}/${crawl}/tables?${to}`} replace />;
}
