const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const weekday = new Intl.DateTimeFormat("en-GB", { weekday: "short" });
const date = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });
const full = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric" });

const day = (d: Date) =>
  Math.round(new Date(d.getFullYear(), d.getMonth(), d.getDate(), 12).getTime() / 864e5);

/** A time as people say it beside now. */
export function moment(iso: string, now = new Date()): string {
  const at = new Date(iso);
  const days = day(at) - day(now);
  if (days === 0) return `today ${clock.format(at)}`;
  if (days === 1) return `tomorrow ${clock.format(at)}`;
  if (days === -1) return `yesterday ${clock.format(at)}`;
  if (days > 1 && days < 7) return `${weekday.format(at)} ${clock.format(at)}`;
  return at.getFullYear() === now.getFullYear() ? `${date.format(at)} ${clock.format(at)}` : full.format(at);
}

/** How long ago something was, of one unit. */
export function lasting(iso: string, until = Date.now()): string {
  const s = Math.max(0, (until - new Date(iso).getTime()) / 1000);
  if (s < 60) return `${Math.round(s)} s`;
  if (s < 3600) return `${Math.round(s / 60)} min`;
  if (s < 172_800) return `${Math.round(s / 3600)} h`;
  return `${Math.round(s / 86_400)} days`;
}

/** A share of looks; one that is not all is not rounded up to it. */
export function availability(share: number | undefined): string {
  if (share === undefined) return "–";
  if (share === 100) return "100 %";
  return `${Math.min(99.99, share).toFixed(2)} %`;
}
