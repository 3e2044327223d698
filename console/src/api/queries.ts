import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, query, read } from "./client";
import type { paths } from "./schema";

type QueryOf<P extends keyof paths> = paths[P] extends { get: { parameters: { query?: infer Q } } }
  ? NonNullable<Q>
  : never;

/** Filters stand in the address bar, so all of them are words; "" does not filter. */
type Words<T> = { [K in keyof T]?: string };

const ofSite = (site: string) => ({ path: { site } });
const ofCrawl = (site: string, crawl: string) => ({ path: { site, crawl } });

export const sites = () =>
  queryOptions({ queryKey: ["sites"], queryFn: () => read(api.GET("/sites")).then((r) => r.sites) });

export const site = (name: string) =>
  queryOptions({
    queryKey: ["sites", name],
    queryFn: () => read(api.GET("/sites/{site}", { params: ofSite(name) })),
  });

/** Who works and at what; it changes by itself. */
export const queue = () =>
  queryOptions({ queryKey: ["queue"], queryFn: () => read(api.GET("/queue")), refetchInterval: 2000 });

export const plan = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "plan"],
    queryFn: () => read(api.GET("/sites/{site}/plan", { params: ofSite(name) })),
  });

export const secrets = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "secrets"],
    queryFn: () => read(api.GET("/sites/{site}/secrets", { params: ofSite(name) })).then((r) => r.secrets),
  });

export const profiles = () =>
  queryOptions({
    queryKey: ["profiles"],
    queryFn: () => read(api.GET("/profiles")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The words in which the service shows names. */
export const words = () =>
  queryOptions({
    queryKey: ["words"],
    queryFn: () => read(api.GET("/words")),
    staleTime: Number.POSITIVE_INFINITY,
  });

type AddressState = QueryOf<"/sites/{site}/crawls/{crawl}/addresses">["state"];

export const addresses = (name: string, number: string, state: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "addresses", state],
    queryFn: ({ pageParam }) =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/addresses", {
          params: {
            ...ofCrawl(name, number),
            query: { state: state as AddressState, after: pageParam, limit: 200 },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });

export const crawls = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls"],
    queryFn: () =>
      read(api.GET("/sites/{site}/crawls", { params: { ...ofSite(name), query: { limit: 500 } } })).then(
        (r) => r.crawls,
      ),
    refetchInterval: (q) => (q.state.data?.some((c) => c.state === "running") ? 2000 : false),
  });

export const crawl = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number],
    queryFn: () => read(api.GET("/sites/{site}/crawls/{crawl}", { params: ofCrawl(name, number) })),
  });

export const tally = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "tally"],
    queryFn: () => read(api.GET("/sites/{site}/crawls/{crawl}/tally", { params: ofCrawl(name, number) })),
  });

type FixQuery = QueryOf<"/sites/{site}/crawls/{crawl}/fixes">;
export type FixFilter = Words<Omit<FixQuery, "after" | "limit">>;

const fixPart = (name: string, number: string, query: FixQuery) =>
  read(api.GET("/sites/{site}/crawls/{crawl}/fixes", { params: { ...ofCrawl(name, number), query } }));

export const fixes = (name: string, number: string, filter: FixFilter) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "fixes", filter],
    queryFn: ({ pageParam }) =>
      fixPart(name, number, { ...(filter as FixQuery), after: pageParam, limit: 200 }),
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: (last) => last.next || undefined,
  });

/** How many fixes were confirmed to be gone once, and are there again. */
export const returned = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "returned"],
    queryFn: () => fixPart(name, number, { state: "returned", limit: 1 }).then((r) => r.total),
  });

/** What a browser made of a page, by device. */
export const renderings = (name: string, number: string, address: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "renderings", address],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/renderings", {
          params: { ...ofCrawl(name, number), query: { address } },
        }),
      ),
  });

/** A file as an address that holds all of it: the console loads pictures from nowhere else. */
const asData = (file: Blob): Promise<string> =>
  new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(file);
  });

/** The picture of a first view, as an address. */
export const screen = (name: string, number: string, hash: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "screen", hash],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/screens/{screen}", {
          params: { path: { site: name, crawl: number, screen: hash } },
          parseAs: "blob",
        }),
      ).then((picture) => asData(picture as unknown as Blob)),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The question that filters of pages are. */
export const filtered = (name: string, number: string, filter: Record<string, string>) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "filtered", filter],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/pages", {
          params: { ...ofCrawl(name, number), query: { ...filter, after: undefined, limit: 1 } },
        }),
      ),
  });

export const comparison = (name: string, number: string, a: string, b: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "compare", a, b],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/compare", {
          params: { ...ofCrawl(name, number), query: { a, b } },
        }),
      ),
  });

export const fix = (name: string, number: string, id: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "fix", id],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/fixes/{fix}", {
          params: { path: { site: name, crawl: number, fix: id } },
        }),
      ),
  });

export const fixPages = (name: string, number: string, id: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "fix", id, "pages"],
    queryFn: ({ pageParam }) =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/fixes/{fix}/pages", {
          params: {
            path: { site: name, crawl: number, fix: id },
            query: { after: pageParam, limit: 50 },
          },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next || undefined,
  });

export const page = (name: string, number: string, address: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "page", address],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/page", {
          params: { ...ofCrawl(name, number), query: { address } },
        }),
      ),
  });

export const linksIn = (name: string, number: string, address: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "links-in", address],
    queryFn: ({ pageParam }) =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/links-in", {
          params: { ...ofCrawl(name, number), query: { address, after: pageParam, limit: 50 } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });

/** All checks, with the own ones of a site that is named. */
export const checks = (site = "") =>
  queryOptions({
    queryKey: ["checks", site],
    queryFn: () => read(api.GET("/checks", { params: { query: site ? { site } : {} } })),
  });

/** What can be asked about, and the comparisons that a form offers. */
export const facts = () =>
  queryOptions({
    queryKey: ["facts"],
    queryFn: () => read(api.GET("/facts")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** How a question is read; its mistakes are part of that. */
export const questionReading = (of: string, question: string) =>
  queryOptions({
    queryKey: ["question", of, question],
    queryFn: () => read(api.GET("/question", { params: { query: { of, question } } })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });

type AskQuery = QueryOf<"/sites/{site}/crawls/{crawl}/ask">;
export type Asked = Words<Omit<AskQuery, "after" | "limit">>;

const answerPart = (name: string, number: string, query: AskQuery) =>
  read(api.GET("/sites/{site}/crawls/{crawl}/ask", { params: { ...ofCrawl(name, number), query } }));

/** The lines of the fix list that are about some pages of the newest crawl, by their names. */
export async function fixesOf(name: string, addresses: string[]): Promise<string[]> {
  const fixes = new Set<string>();
  for (let at = 0; at < addresses.length; at += 20) {
    const question = `address in ${JSON.stringify(addresses.slice(at, at + 20))}`;
    const part = await answerPart(name, "latest", { question, columns: "fixes", limit: 20 });
    for (const row of part.rows ?? []) for (const fix of row.flat()) if (fix) fixes.add(String(fix));
  }
  return [...fixes];
}

/** What a question holds of, row by row or in groups. */
export const answer = (name: string, number: string, asked: Asked) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "ask", asked],
    queryFn: ({ pageParam }) =>
      answerPart(name, number, { ...(asked as AskQuery), after: pageParam, limit: 200 }),
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    retry: false,
    getNextPageParam: (last) => last.next || undefined,
  });

/** How many rows a question holds of. */
export const answers = (name: string, asked: Asked) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", "latest", "count", asked],
    queryFn: () => answerPart(name, "latest", { ...(asked as AskQuery), limit: 1 }).then((r) => r.total),
    retry: false,
  });

export const views = (site: string) =>
  queryOptions({
    queryKey: ["views", site],
    queryFn: () => read(api.GET("/views", { params: { query: site ? { site } : {} } })).then((r) => r.views),
  });

/** What a crawl found, in numbers that lead to their rows. */
export const overview = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "overview"],
    queryFn: () =>
      read(api.GET("/sites/{site}/crawls/{crawl}/overview", { params: ofCrawl(name, number) })).then(
        (r) => r.panels,
      ),
  });

export const task = (name: string, id: string) =>
  queryOptions({
    queryKey: ["sites", name, "work", id],
    queryFn: () => read(api.GET("/sites/{site}/fixes/{fix}", { params: { path: { site: name, fix: id } } })),
  });

export const waivers = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "waivers"],
    queryFn: () => read(api.GET("/sites/{site}/waivers", { params: ofSite(name) })).then((r) => r.waivers),
  });

/** A recheck as it stands; asked again until it is done. */
export const recheck = (name: string, crawl: number, number: number) =>
  queryOptions({
    queryKey: ["sites", name, "rechecks", crawl, number],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/rechecks/{recheck}", {
          params: { path: { site: name, crawl: String(crawl), recheck: number } },
        }),
      ),
    refetchInterval: (q) => (q.state.data && q.state.data.state !== "running" ? false : 300),
  });

export const drift = (name: string, number: string, from: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "drift", from],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/drift", {
          params: { ...ofCrawl(name, number), query: from ? { from: Number(from) } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** How soon rendered pages stand, by layout or section, beside an earlier crawl. */
export const speed = (name: string, number: string, by: "layout" | "section", from: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "speed", by, from],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/crawls/{crawl}/speed", {
          params: { ...ofCrawl(name, number), query: from ? { by, from: Number(from) } : { by } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const trend = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "trend"],
    queryFn: () => read(api.GET("/sites/{site}/trend", { params: ofSite(name) })).then((r) => r.points),
  });

export const sectionMap = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "map"],
    queryFn: () => read(api.GET("/sites/{site}/crawls/{crawl}/map", { params: ofCrawl(name, number) })),
  });

/** The templates that pages are built from, the largest first. */
export const layouts = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "layouts"],
    queryFn: () =>
      read(api.GET("/sites/{site}/crawls/{crawl}/layouts", { params: ofCrawl(name, number) })).then(
        (r) => r.layouts,
      ),
  });

export const figures = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "figures"],
    queryFn: () => read(api.GET("/sites/{site}/figures", { params: ofSite(name) })),
  });

/** Where a file of a crawl's results is fetched from. */
export const exportPath = (name: string, number: string, params: Record<string, string>) =>
  `/sites/${encodeURIComponent(name)}/crawls/${encodeURIComponent(number)}/export?${query(params)}`;
