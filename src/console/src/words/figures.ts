const units: [number, string][] = [
  [1e8, "GB"],
  [1e6, "MB"],
  [1e3, "kB"],
];

/** A size as everywhere in Furlough: GB with one decimal, smaller ones in MB or kB. */
export function size(bytes: number): string {
  for (const [least, unit] of units)
    if (bytes >= least) return `${(bytes / (unit === "GB" ? 1e9 : least)).toFixed(1)} ${unit}`;
  return `${bytes} B`;
}

/** A size that may be negative. */
export const sizeSigned = (bytes: number) => (bytes < 0 ? `-${size(Math.round(-bytes))}` : size(Math.round(bytes)));

/** "12 %"; of nothing it is nothing. */
export const percent = (part: number, whole: number, digits = 0) =>
  `${((100 * part) / Math.max(1, whole)).toFixed(digits)} %`;

/** Seconds of a length of time as the API writes it: "1.02:03:04.5" is a day, two hours, three minutes and so on. */
export function duration(text: string): number {
  const parts = /^(?:(\d+)\.)?(\d+):(\d+):(\d+(?:\.\d+)?)$/.exec(text)?.slice(1) ?? [];
  const [days = 0, hours = 0, minutes = 0, seconds = 0] = parts.map((p) => Number(p ?? 0));
  return days * 86400 + hours * 3600 + minutes * 60 + seconds;
}

/** Shortens a path in its middle. */
export function shorten(path: string, length = 44): string {
  if (path.length <= length) return path;
  const keep = Math.floor((length - 1) / 2);
  return `${path.slice(0, keep)}…${path.slice(-keep)}`;
}
