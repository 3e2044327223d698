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

/** The one place that talks to the service. A text is sent as it is, as YAML; all else as JSON. */
export async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const isText = typeof body === "string";
  const response = await fetch(`/api/v1${path}`, {
    method,
    headers: body === undefined ? {} : { "Content-Type": isText ? "application/yaml" : "application/json" },
    body: body === undefined || isText ? body : JSON.stringify(body),
  });
  if (response.ok) {
    const text = await response.text();
    return (text ? JSON.parse(text) : undefined) as T;
  }
  const problem = await response.json().catch(() => ({}));
  throw new Problem(
    response.status,
    problem.detail ?? `${response.status} ${response.statusText}`,
    problem.faults,
  );
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
