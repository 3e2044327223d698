/** One thing wrong with what was sent. Line and column are of its text, where it was one. */
export interface Fault {
  field: string;
  reason: string;
  line?: number;
  column?: number;
}

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

/** The one place that talks to the service. */
async function ask(method: string, path: string, init: RequestInit = {}): Promise<Response> {
  const headers = new Headers(init.headers);
  const key = localStorage.getItem(sessionKey);
  if (key) headers.set("Harvik-Session", key);
  const response = await fetch(`/api/v1${path}`, { ...init, method, headers });
  if (response.ok) return response;
  const problem = await response.json().catch(() => ({}));
  throw new Problem(
    response.status,
    problem.detail ?? `${response.status} ${response.statusText}`,
    problem.faults,
  );
}

/** A text is sent as it is, as YAML; all else as JSON. */
export async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const isText = typeof body === "string";
  const response = await ask(method, path, {
    headers: body === undefined ? {} : { "Content-Type": isText ? "application/yaml" : "application/json" },
    body: body === undefined || isText ? body : JSON.stringify(body),
  });
  const text = await response.text();
  return (text ? JSON.parse(text) : undefined) as T;
}

/** Has the browser fetch a file of the API, by a link that works once. */
export async function download(path: string) {
  const { address } = await call<{ address: string }>("POST", "/tickets", { address: `/api/v1${path}` });
  location.assign(address);
}

const retryAfter = 2000; // milliseconds

/** Follows a stream of server-sent events until it ends by itself; a broken one is taken up again. */
export function follow(path: string, on: (event: string, data: unknown) => void): () => void {
  const stop = new AbortController();
  const read = async () => {
    const response = await ask("GET", path, { signal: stop.signal });
    const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
    let rest = "";
    for (let part = await reader?.read(); part && !part.done; part = await reader?.read()) {
      const events = (rest + part.value).split("\n\n");
      rest = events.pop() ?? "";
      for (const text of events) {
        const name = /^event: (.*)$/m.exec(text)?.[1] ?? "";
        const data = /^data: (.*)$/m.exec(text)?.[1];
        if (data) on(name, JSON.parse(data));
        if (name === "end") return;
      }
    }
    throw new Error("the stream broke");
  };
  const run = () => {
    read().catch((e) => {
      if (!stop.signal.aborted && !(e instanceof Problem)) setTimeout(run, retryAfter);
    });
  };
  run();
  return () => stop.abort();
}

export const get = <T>(path: string) => call<T>("GET", path);

/** Writes query parameters, leaving out the empty ones. */
export function query(params: Record<string, string | number | undefined | null>): string {
  const out = new URLSearchParams();
  for (const [key, value] of Object.entries(params)) {
    if (value !== undefined && value !== null && value !== "") {
      out.set(key, String(value));
    }
  }
  const text = out.toString();
  return text ? `?${text}` : "";
}
