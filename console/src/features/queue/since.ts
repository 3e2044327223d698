/** How long ago a moment is, as people say it, of one unit. */
export function since(moment: string, now = Date.now()): string {
  const seconds = Math.max(0, (now - Date.parse(moment)) / 1000);
  if (seconds < 60) return `${Math.round(seconds)} s`;
  if (seconds < 3600) return `${Math.round(seconds / 60)} min`;
  if (seconds < 48 * 3600) return `${Math.round(seconds / 3600)} h`;
  return `${Math.round(seconds / 86400)} days`;
}
