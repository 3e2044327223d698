import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { get, query } from "./client";
import type {
  AddressRow,
  Agent,
  Check,
  Comparison,
  Crawl,
  Drift,
  FigureSet,
  Fix,
  Layout,
  LinkRow,
  PageAll,
  PageFinding,
  PageRow,
  Plan,
  Profile,
  Recheck,
  Secret,
  SectionMap,
  Site,
  Tallies,
  Task,
  TaskEvent,
  TrendPoint,
  Waiver,
} from "./types";

const sitePath = (site: string) => `/sites/${encodeURIComponent(site)}`;
const crawlPath = (site: string, crawl: string) => `${sitePath(site)}/crawls/${encodeURIComponent(crawl)}`;

export const sites = () =>
  queryOptions({ queryKey: ["sites"], queryFn: () => get<{ sites: Site[] }>("/sites").then((r) => r.sites) });

export const site = (name: string) =>
  queryOptions({ queryKey: ["sites", name], queryFn: () => get<Site>(sitePath(name)) });

export const plan = (name: string) =>
  queryOptions({ queryKey: ["sites", name, "plan"], queryFn: () => get<Plan>(`${sitePath(name)}/plan`) });

export const secrets = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "secrets"],
    queryFn: () => get<{ secrets: Secret[] }>(`${sitePath(name)}/secrets`).then((r) => r.secrets),
  });

export const profiles = () =>
  queryOptions({
    queryKey: ["profiles"],
    queryFn: () => get<{ profiles: Profile[]; agents: Agent[] }>("/profiles"),
    staleTime: Number.POSITIVE_INFINITY,
  });

export interface AddressPart {
  addresses: AddressRow[];
  total: number;
  next: number;
}

export const addresses = (name: string, number: string, state: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "addresses", state],
    queryFn: ({ pageParam }) =>
      get<AddressPart>(
        `${crawlPath(name, number)}/addresses${query({ state, after: pageParam, limit: 200 })}`,
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });

export const crawls = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls"],
    queryFn: () => get<{ crawls: Crawl[] }>(`${sitePath(name)}/crawls?limit=500`).then((r) => r.crawls),
    refetchInterval: (q) => (q.state.data?.some((c) => c.state === "running") ? 2000 : false),
  });

export const crawl = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number],
    queryFn: () => get<Crawl>(crawlPath(name, number)),
  });

export const tally = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "tally"],
    queryFn: () => get<Tallies>(`${crawlPath(name, number)}/tally`),
  });

export interface FixFilter {
  severity: string;
  group: string;
  check: string;
  search: string;
  order: string;
  state: string;
  assignee: string;
  section: string;
}

export interface FixPart {
  fixes: Fix[];
  total: number;
  findings: number;
  /** Lines left out because they are waived. */
  waived: number;
  next?: number;
}

export const fixes = (name: string, number: string, filter: FixFilter) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "fixes", filter],
    queryFn: ({ pageParam }) =>
      get<FixPart>(`${crawlPath(name, number)}/fixes${query({ ...filter, after: pageParam, limit: 200 })}`),
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: (last) => last.next || undefined,
  });

/** How many fixes were confirmed to be gone once, and are there again. */
export const returned = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "returned"],
    queryFn: () =>
      get<FixPart>(`${crawlPath(name, number)}/fixes?state=returned&limit=1`).then((r) => r.total),
  });

export const comparison = (name: string, number: string, a: string, b: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "compare", a, b],
    queryFn: () => get<Comparison>(`${crawlPath(name, number)}/compare${query({ a, b })}`),
  });

export const fix = (name: string, number: string, id: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "fix", id],
    queryFn: () => get<{ fix: Fix; check: Check }>(`${crawlPath(name, number)}/fixes/${id}`),
  });

export const fixPages = (name: string, number: string, id: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "fix", id, "pages"],
    queryFn: ({ pageParam }) =>
      get<{ pages: PageFinding[]; total: number; next: string }>(
        `${crawlPath(name, number)}/fixes/${id}/pages${query({ after: pageParam, limit: 50 })}`,
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next || undefined,
  });

export interface PageFilter {
  search: string;
  status: string;
  kind: string;
  check: string;
  fix: string;
  sort: string;
  role: string;
  section: string;
  having: string;
}

export interface PagePart {
  pages: PageRow[];
  total: number;
  next?: string;
}

export const pages = (name: string, number: string, filter: PageFilter) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "pages", filter],
    queryFn: ({ pageParam }) =>
      get<PagePart>(`${crawlPath(name, number)}/pages${query({ ...filter, after: pageParam, limit: 200 })}`),
    initialPageParam: "",
    placeholderData: keepPreviousData,
    getNextPageParam: (last) => last.next || undefined,
  });

export const page = (name: string, number: string, address: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "page", address],
    queryFn: () => get<PageAll>(`${crawlPath(name, number)}/page${query({ address })}`),
  });

export const linksIn = (name: string, number: string, address: string) =>
  infiniteQueryOptions({
    queryKey: ["sites", name, "crawls", number, "links-in", address],
    queryFn: ({ pageParam }) =>
      get<{ links: LinkRow[]; pages: number; next: number }>(
        `${crawlPath(name, number)}/links-in${query({ address, after: pageParam, limit: 50 })}`,
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });

export const checks = () =>
  queryOptions({
    queryKey: ["checks"],
    queryFn: () => get<{ checks: Check[]; groups: string[] }>("/checks"),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const task = (name: string, id: string) =>
  queryOptions({
    queryKey: ["sites", name, "work", id],
    queryFn: () => get<{ task: Task; history: TaskEvent[] }>(`${sitePath(name)}/fixes/${id}`),
  });

export const waivers = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "waivers"],
    queryFn: () => get<{ waivers: Waiver[] }>(`${sitePath(name)}/waivers`).then((r) => r.waivers),
  });

/** A recheck as it stands; asked again until it is done. */
export const recheck = (name: string, crawl: number, number: number) =>
  queryOptions({
    queryKey: ["sites", name, "rechecks", crawl, number],
    queryFn: () => get<Recheck>(`${crawlPath(name, String(crawl))}/rechecks/${number}`),
    refetchInterval: (q) => (q.state.data && q.state.data.state !== "running" ? false : 300),
  });

export const drift = (name: string, number: string, from: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "drift", from],
    queryFn: () => get<Drift>(`${crawlPath(name, number)}/drift${query({ from })}`),
    placeholderData: keepPreviousData,
  });

export const trend = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "trend"],
    queryFn: () => get<{ points: TrendPoint[] }>(`${sitePath(name)}/trend`).then((r) => r.points),
  });

export const sectionMap = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "map"],
    queryFn: () => get<SectionMap>(`${crawlPath(name, number)}/map`),
  });

/** The templates that pages are built from, the largest first. */
export const layouts = (name: string, number: string) =>
  queryOptions({
    queryKey: ["sites", name, "crawls", number, "layouts"],
    queryFn: () => get<{ layouts: Layout[] }>(`${crawlPath(name, number)}/layouts`).then((r) => r.layouts),
  });

export const figures = (name: string) =>
  queryOptions({
    queryKey: ["sites", name, "figures"],
    queryFn: () => get<{ figures: FigureSet[]; importance: string }>(`${sitePath(name)}/figures`),
  });

/** Where a file of a crawl's results is fetched from. */
export const exportPath = (name: string, number: string, params: Record<string, string>) =>
  `${crawlPath(name, number)}/export${query(params)}`;
