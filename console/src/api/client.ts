import createClient from "openapi-fetch";
import type { components, paths } from "./schema";
import type { Fault } from "./types";

export type { Fault };

/** A refusal by the service: RFC 9457 problem details. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly faults: Fault[] = [],
  ) {
    super(detail);
  }
}

/**
 * The half of the session that this page keeps. The other is in a cookie, which every server of this host
 * gets, whatever its port: only both together let anybody in.
 */
const sessionKey = "harvik.session";

export const keepSession = (key: string) => localStorage.setItem(sessionKey, key);

/** Writes query parameters, leaving out the empty ones. */
export function query(params: Record<string, unknown>): string {
  const out = new URLSearchParams();
  for (const [key, value] of Object.entries(params)) {
    if (value !== undefined && value !== null && value !== "") out.set(key, String(value));
  }
  return out.toString();
}

/** The one thing that talks to the service; what it may say is in the description of the API. */
export const api = createClient<paths>({ baseUrl: "/api/v1", querySerializer: query });

api.use({
  onRequest({ request }) {
    const key = localStorage.getItem(sessionKey);
    if (key) request.headers.set("Harvik-Session", key);
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return;
    const problem = await response.json().catch(() => ({}));
    throw new Problem(
      response.status,
      problem.detail ?? `${response.status} ${response.statusText}`,
      problem.faults,
    );
  },
});

/** What an answer holds; refusals have been thrown. */
export const read = async <T>(answer: Promise<{ data?: T }>): Promise<T> => (await answer).data as T;

/** Sends a text as it is. */
export const asText = (type: string) => ({
  headers: { "Content-Type": type },
  bodySerializer: (body: unknown) => body as string,
});

/** A plan in YAML, as the body that the description names. */
export const planText = (text: string) => ({
  body: (text || "{}") as unknown as Record<string, unknown>,
  ...asText("application/yaml"),
});

/** Has the browser fetch a file of the API, by a link that works once. */
export async function download(path: string) {
  const { address } = await read(api.POST("/tickets", { body: { address: `/api/v1${path}` } }));
  location.assign(address);
}

/** Makes a report of a crawl, and gives it to the browser as a file. */
export async function makeReport(
  site: string,
  crawl: string,
  as: "html" | "pdf",
  body: components["schemas"]["ReportChoices"],
) {
  const { data } = await api.POST("/sites/{site}/crawls/{crawl}/report", {
    params: { path: { site, crawl }, query: { as } },
    body,
    parseAs: "blob",
  });
  const address = URL.createObjectURL(data as unknown as Blob);
  const link = document.createElement("a");
  link.href = address;
  link.download = `${site}-${crawl}-report.${as}`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), retryAfter);
}

const retryAfter = 2000; // milliseconds

/** Follows a crawl's events until they end by themselves; a broken stream is taken up again. */
export function follow(site: string, crawl: string, on: (event: string, data: unknown) => void): () => void {
  const stop = new AbortController();
  const run = async () => {
    const { data } = await api.GET("/sites/{site}/crawls/{crawl}/progress", {
      params: { path: { site, crawl } },
      parseAs: "stream",
      signal: stop.signal,
    });
    const reader = data?.pipeThrough(new TextDecoderStream()).getReader();
    let rest = "";
    for (let part = await reader?.read(); part && !part.done; part = await reader?.read()) {
      const events = (rest + part.value).split("\n\n");
      rest = events.pop() ?? "";
      for (const text of events) {
        const name = /^event: (.*)$/m.exec(text)?.[1] ?? "";
        const said = /^data: (.*)$/m.exec(text)?.[1];
        if (said) on(name, JSON.parse(said));
        if (name === "end") return;
      }
    }
    throw new Error("the stream broke");
  };
  const keep = () => {
    run().catch((e) => {
      if (!stop.signal.aborted && !(e instanceof Problem)) setTimeout(keep, retryAfter);
    });
  };
  keep();
  return () => stop.abort();
}
