import { useQuery } from "@tanstack/react-query";
import { Navigate, useParams, useSearchParams } from "react-router";
import { filtered } from "../../api/queries";
import { Failed, Loading } from "../../ui/States";

/** A column of the list of pages, as a fact. */
const fact = (name: string): string => name.replace(/^(-?)figure:/, "$1figures.");

/** Leads addresses of the list of pages that there once was to the question that shows the same. */
export function OldPages() {
  const { site = "", crawl = "" } = useParams();
  const [params] = useSearchParams();
  const filter = Object.fromEntries(params);
  const sort = fact(params.get("sort") ?? "");
  const asked = useQuery(filtered(site, crawl, { ...filter, sort: sort.endsWith("findings") ? "" : sort }));
  if (asked.isPending) return <Loading />;
  if (asked.isError) return <Failed error={asked.error} retry={asked.refetch} />;
  const to = new URLSearchParams({ of: asked.data.of });
  if (asked.data.question) to.set("question", asked.data.question);
  const columns = (params.get("columns") ?? "").split(",").filter((c) => c && c !== "findings");
  if (columns.length > 0) to.set("columns", columns.map(fact).join(","));
  if (asked.data.order) to.set("order", asked.data.order);
  return <Navigate to={`/sites/${site}/${crawl}/tables?${to}`} replace />;
}
