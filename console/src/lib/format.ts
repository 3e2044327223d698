/** 12 345, with narrow no-break spaces. */
export function whole(n: number): string {
  return String(Math.round(n)).replace(/\B(?=(\d{3})+(?!\d))/g, "\u202f");
}

export const points = (n: number): string => n.toFixed(1);

/** Points that were lost. */
export const lost = (n: number): string => (n < 0.05 ? "−<0.1" : `−${n.toFixed(1)}`);

/** What a fix brings, in points. */
export const gain = (n: number): string => (n > 0 && n < 0.005 ? "<0.01" : `+${n.toFixed(2)}`);

export const count = (n: number, one: string, many: string): string =>
  n === 1 ? `1 ${one}` : `${whole(n)} ${many}`;

const dateTime = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });
export const when = (iso: string): string => dateTime.format(new Date(iso));

export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

/** Path and query of an address inside the site, the whole address otherwise. */
export function shortAddress(address: string, home: string): string {
  try {
    const a = new URL(address);
    return a.host === new URL(home).host ? a.pathname + a.search : address;
  } catch {
    return address;
  }
}

export function bytes(n: number): string {
  return n < 1024 ? `${n} B` : `${(n / 1024).toFixed(n < 102_400 ? 1 : 0)} KB`;
}

/** Whether an address may be a link: what pages name can be of any scheme, a script's included. */
export const isWeb = (address: string): boolean => /^https?:\/\//i.test(address);

/** A change of points; a small one is not shown as none. */
export function signed(d: number): string {
  if (d === 0) return "+0.00";
  if (Math.abs(d) < 0.005) return d > 0 ? "+<0.01" : "−<0.01";
  return `${d > 0 ? "+" : "−"}${Math.abs(d).toFixed(2)}`;
}

/** A time in milliseconds. */
export const seconds = (ms: number | undefined): string =>
  ms === undefined ? "not told" : ms < 1000 ? `${whole(ms)} ms` : `${(ms / 1000).toFixed(1)} s`;
