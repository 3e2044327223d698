// The shapes of the API's answers, as openapi.yaml describes them.

export type Severity = "error" | "warning" | "notice";

/** A plan with its defaults filled in; the service's schema describes every setting. */
export interface Plan {
  sources: { links: boolean; sitemaps: boolean; sitemapAt?: string[]; addresses?: string[] };
  scope: {
    pair: boolean;
    hosts?: string[];
    folders?: string[];
    include?: string[];
    exclude?: string[];
    parameters?: { ignore?: string[]; keep?: string[]; sort?: boolean };
    atMost?: Record<string, number>;
  };
  selection: "breadth" | "spread";
  pages: number;
  depth: number;
  time: string;
  parallel: number;
  pause: string;
  perSecond?: number;
  timeout: string;
  retries: number;
  agent: string;
  robotsAs: string;
  language?: string;
  robots: "obey" | "report" | "disregard";
  permission?: string;
  resources: "all" | "inside" | "none";
  outbound?: boolean;
  gates?: { kind: string; host?: string; secret?: string }[];
  hosts?: Record<string, string>;
}

export interface Profile {
  name: string;
  say: string;
  text: string;
}

export interface Agent {
  name: string;
  header: string;
}

export interface Line {
  line: number;
  text: string;
}

export interface Preview {
  home: string;
  robots: {
    address: string;
    status: number;
    detail?: string;
    as: string;
    policy: string;
    rules: Line[];
    notes: Line[];
    delay: number;
  };
  sitemaps: {
    address: string;
    status: number;
    form?: string;
    pages: number;
    sitemaps: number;
    detail?: string;
  }[];
  listed: number;
  sampled: number;
  least: number;
  most: number;
  basis: string;
  perSecond: number;
  shortest: number;
  longest: number;
  warnings?: string[];
}

export interface Secret {
  name: string;
  host: string;
  changed: string;
}

export interface Site {
  name: string;
  home: string;
  plan: Plan;
  created: string;
  crawls: number;
  latest?: number;
  health?: number;
}

export interface Pace {
  parallel: number;
  of: number;
  gap: number;
  waits?: number;
  reason?: string;
  crawls: number;
}

export interface Progress {
  phase: "" | "starting" | "resuming" | "fetching" | "probing" | "judging" | "done";
  lane?: "links" | "sitemaps" | "resources" | "outbound" | "finished";
  fetched: number;
  pages: number;
  resources: number;
  waiting: number;
  later: number;
  known: number;
  /** Mentions of addresses that were not taken up. */
  beyond?: number;
  failures: number;
  findings: number;
  retries: number;
  rate: number;
  seconds: number;
  left: number;
  statuses: Record<string, number> | null;
  states?: Record<string, number>;
  types?: Record<string, number>;
  depths?: Record<string, number>;
  sections?: Record<string, number>;
  last?: string;
  errors?: { address: string; what: string; detail?: string }[];
  pace?: Pace;
}

export interface LedgerLine {
  check: string;
  group: string;
  severity: Severity;
  points: number;
  pages: number;
  places: number;
}

export interface Report {
  health: number;
  scored: boolean;
  /** Health, had nothing been waived. */
  unwaived?: number;
  /** Findings that are waived. */
  waived?: number;
  halfWidth: number;
  /** What has to be said beside health where many pages cannot be found in search. */
  unfound?: string;
  assessed: number;
  expected: number;
  ledger: LedgerLine[] | null;
  fixes: number;
  findings: number;
}

export interface Crawl {
  site: string;
  home: string;
  number: number;
  state: "running" | "paused" | "finished" | "failed";
  ending?: string;
  detail?: string;
  plan: Plan;
  started: string;
  finished?: string;
  progress: Progress;
  report?: Report;
  probes?: Probes;
  traps?: { pattern: string; example: string; kind: string; fetched: number; left: number }[];
}

export interface Probe {
  address: string;
  status: number;
  detail?: string;
  hops?: string[];
  type?: string;
  title?: string;
}

export interface Probes {
  doors: Probe[];
  missing?: Probe[];
  favicon?: Probe;
  certificate?: {
    names: string[];
    issuer: string;
    from: string;
    until: string;
    version: string;
    protocol: string;
  };
}

export interface AddressRow {
  address: string;
  state: string;
  foundOn?: string;
  ruleLine?: number;
  rule?: string;
  found: string;
}

export interface Tally {
  name: string;
  count: number;
}

export interface Tallies {
  states: Tally[];
  statuses: Tally[];
  depths: Tally[];
  kinds: Tally[];
  roles: Tally[];
}

export type State = "open" | "taken" | "claimed" | "confirmed" | "returned" | "waived";

/** One target or value of a line for several, with work of its own. */
export interface Entry {
  id: string;
  line: string;
  target?: string;
  value?: string;
  example?: string;
  pages: number;
  places: number;
  state?: State;
  version?: number;
}

export interface Fix {
  id: string;
  rank: number;
  check: string;
  group: string;
  severity: Severity;
  kind: string;
  line: string;
  where?: string;
  target?: string;
  value?: string;
  example?: string;
  /** Different targets or values. */
  cases?: number;
  pages: number;
  places: number;
  gain: number;
  lost: number;
  effort: string;
  healthAfter: number;
  state: State;
  /** Of its pages. */
  waived?: number;
  /** What comes of it and goes with it. */
  follows?: { check: string; pages: number }[];
  /** Of a line for several targets or values; told with one fix, not in lists. */
  entries?: Entry[];
  /** Of an entry: the line that it is part of. */
  of?: string;
  assignee?: string;
  due?: string;
  note?: string;
  version: number;
}

/** The work at a fix. */
export interface Task {
  fix: string;
  check: string;
  line: string;
  state: State;
  assignee?: string;
  due?: string;
  note?: string;
  seen: number;
  version: number;
  changed: string;
}

export interface TaskEvent {
  at: string;
  who: string;
  state: State;
  says: string;
}

/** What became of a wish to move fixes. */
export interface Moves {
  batch?: number;
  moved: Task[];
  refused: { fix: string; why: string; task?: Task }[];
}

export type WaiverScope = "page" | "pattern" | "section" | "layout" | "fix" | "check";

export interface Waiver {
  id: number;
  scope: WaiverScope;
  check?: string;
  on?: string;
  reason: string;
  by: string;
  created: string;
  until?: string;
  endedBy?: string;
  findings: number;
  pages: number;
  state: "holds" | "holds, matches nothing" | "cannot be read" | "expired" | "ended";
  /** Why it cannot be read; it covers nothing then. */
  broken?: string;
}

export interface Recheck {
  number: number;
  crawl: number;
  state: "running" | "done" | "failed";
  detail?: string;
  fetched: number;
  of: number;
  seconds: number;
  health: number;
  after: number;
  results: {
    fix: string;
    line: string;
    verdict: "confirmed" | "still there" | "changed" | "not seen";
    says: string;
    still?: string[];
    into?: string[];
    state: State;
  }[];
  warnings?: string[];
}

/** What one thing contributed to a step in health. */
export interface StepPart {
  by: "waivers" | "rules" | "fix" | "vanished" | "appeared" | "unseen" | "sample";
  fix?: string;
  line?: string;
  pages?: number;
  points: number;
  shown: number;
}

export interface Seen {
  address: string;
  why: string;
}

export interface Drift {
  before: number;
  after: number;
  drift: {
    new: Fix[];
    returned: Fix[];
    gone: Fix[];
    still: number;
    became: { fix: Fix; still: number }[];
    unseen: Fix[];
    findings: {
      new: number;
      gone: number;
      still: number;
      checks: { check: string; new: number; gone: number; newOn: string[]; goneOn: string[] }[];
    };
    appeared: Seen[];
    vanished: Seen[];
    moved: { from: string; to: string; how: string }[];
    notSeen: Seen[];
    changes: { address: string; what: string; before: string; after: string }[];
    files: { kind: string; address: string; gone: string[] | null; new: string[] | null }[];
    step: { before: number; after: number; parts: StepPart[] };
    notes: string[];
  };
}

export interface TrendPoint {
  crawl: number;
  started: string;
  scored: boolean;
  health: number;
  told: number;
  pages: number;
  findings: [number, number, number];
  parts?: StepPart[];
  note?: string;
}

export interface SectionMap {
  sections: { section: string; pages: number; health: number }[];
  cells: { section: string; group: string; findings: [number, number, number] }[];
  groups: string[];
}

export interface Layout {
  name: string;
  pages: number;
  example: string;
  health: number;
  errors: number;
}

export interface FigureSet {
  name: string;
  taken: string;
  kind: "number" | "percent" | "text";
  imported: string;
  rows: number;
}

export interface Import {
  columns: { name: string; kind: string; rows: number }[];
  rows: number;
  matched: number;
  unmatched: string[];
  faults: { line: number; reason: string }[];
}

export interface Limit {
  name: string;
  unit: string;
  default: number;
  doc: string;
}

export interface Check {
  id: string;
  group: string;
  severity: Severity;
  factor: number;
  scope: string;
  effort: string;
  title: string;
  what: string;
  why: string;
  how: string;
  source: string;
  limits: Limit[];
}

export interface Place {
  note: string;
  value?: string;
  target?: string;
  words?: string;
  at?: string;
  line?: number;
  col?: number;
  others?: string[];
  of?: number;
  hops?: { address: string; status?: number }[];
  likeness?: number;
}

/** Two pages' main texts, passage by passage. */
export interface Comparison {
  a: string;
  b: string;
  wordsA: number;
  wordsB: number;
  likeness: number;
  passages: { in: "both" | "a" | "b"; text: string }[];
}

/** How a page would stand in a list of results. */
export interface Entry {
  title: string;
  titleCut: boolean;
  about: string;
  aboutCut: boolean;
  address: string;
}

/** What one check says of one page, and how it came to it. */
export interface Verdict {
  check: string;
  group: string;
  severity: Severity;
  title: string;
  state: "failed" | "passed" | "not-judged";
  steps: string[];
  places?: Place[];
}

/** One page, fetched and judged at once. */
export interface Look {
  address: string;
  hops?: string[];
  detail?: string;
  facts?: {
    address: string;
    status?: number;
    type?: string;
    detail?: string;
    document?: { words: number; headings?: Heading[] };
  };
  indexable: boolean;
  why?: string;
  desktop: Entry;
  phone: Entry;
  links: { to?: string; href?: string; words: string }[];
  loads: { address: string; role: string }[];
  verdicts: Verdict[];
}

export interface Heading {
  level: number;
  text: string;
  place?: string;
  line?: number;
}

export interface PageFinding {
  address?: string;
  check: string;
  count: number;
  places: Place[];
  health: number;
  title?: string;
  outline?: Heading[];
}

export interface PageRow {
  address: string;
  role: string;
  status: number;
  outcome: string;
  type: string;
  encoding?: string;
  bytes: number;
  firstByte: number;
  html: boolean;
  indexable: boolean;
  why?: string;
  kind: string;
  words: number;
  title: string;
  description: string;
  h1: string;
  headings?: number;
  language: string;
  hreflang?: string;
  canonical?: string;
  robots?: string;
  refresh?: string;
  redirect?: string;
  images?: number;
  linksOut?: number;
  linksIn: number;
  clicks?: number;
  foundBy: string;
  inSitemap: boolean;
  layout?: number;
  authority: number;
  importance: number;
  health?: number;
  figures?: Record<string, number | string>;
  errors: number;
  warnings: number;
  notices: number;
}

export interface LinkRow {
  from?: string;
  to?: string;
  words: string;
  place: string;
  region: string;
  nofollow?: boolean;
  line?: number;
  href?: string;
  status?: number;
}

export interface TextAt {
  text: string;
  inHead?: boolean;
  line?: number;
}

export interface PageAll {
  address: string;
  state: string;
  foundOn?: string;
  inSitemap: boolean;
  rule?: string;
  ruleLine?: number;
  page?: PageRow;
  facts?: {
    detail?: string;
    protocol?: string;
    redirect?: string;
    tries?: number;
    transferred?: number;
    coding?: string;
    header?: { name: string; value: string }[];
    timing: { resolve: number; connect: number; tls: number; firstByte: number; whole: number };
    document?: {
      charset?: string;
      lang?: string;
      titles?: TextAt[];
      descriptions?: TextAt[];
      canonicals?: { href: string; address?: string; inHead?: boolean }[];
      robots: { noindex?: string; nofollow?: string };
      headings?: Heading[];
      images?: { src: string; alt?: string; hasAlt?: boolean }[];
      words: number;
      kind: string;
      kindReason?: string;
    };
  };
  findings: PageFinding[];
  links: LinkRow[];
  mainText?: string;
}
