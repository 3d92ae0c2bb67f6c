/** Bytes for people. kB, MB and GB are powers of 1000, on every page. */
export function bytes(size: number, signed = false): string {
  const sign = signed && size > 0 ? "+" : "";
  const magnitude = Math.abs(size);
  if (magnitude < 1000) return `${sign}${size} B`;
  for (const [unit, scale] of [
    ["kB", 1e3],
    ["MB", 1e6],
    ["GB", 1e9],
  ] as const) {
    if (magnitude < scale * 999.95 || unit === "GB") return `${sign}${(size / scale).toFixed(1)} ${unit}`;
  }
  return "";
}

export function duration(seconds: number): string {
  if (seconds < 10) return `${seconds.toFixed(1)} s`;
  if (seconds < 60) return `${Math.round(seconds)} s`;
  const minutes = Math.floor(Math.round(seconds) / 60);
  const rest = Math.round(seconds) % 60;
  return minutes < 60 ? `${minutes} min ${rest} s` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** A time of more than a minute to the minute, and of more than a day to the hour. */
function hours(seconds: number): string {
  const minutes = Math.round(seconds / 60);
  if (minutes < 60) return `${minutes} min`;
  if (minutes < 24 * 60) return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")} min`;
  const all = Math.round(seconds / 3600);
  const days = Math.floor(all / 24);
  return days < 7 ? `${plural(days, "day")} ${all % 24} h` : plural(days, "day");
}

export function ago(moment: string, now = Date.now()): string {
  const seconds = (now - Date.parse(moment)) / 1000;
  if (seconds < -5) return seconds > -90 ? `in ${Math.round(-seconds)} s` : `in ${hours(-seconds)}`;
  if (seconds < 5) return "just now";
  if (seconds < 90) return `${Math.round(seconds)} s ago`;
  return `${hours(seconds)} ago`;
}

export function exact(moment: string): string {
  return `${new Date(moment).toISOString().slice(0, 19).replace("T", " ")} UTC`;
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString("en")} ${count === 1 ? one : many}`;
}

export function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}
