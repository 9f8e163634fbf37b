import type { Standing } from "./api/client";

/** Everything the console says, in one place. */
export const words = {
  title: "Furlough",
  rooms: "Rooms",
  filter: "Filter machines",
  filterHint: "name, room or standing",
  nothingFits: "No machine fits this filter.",
  noMachines: "No machine is enrolled yet.",
  noMachinesHow: "Make an invite with furlough machine invite and start an agent with it.",
  offline: "The service is not answering. What you see may be old; the data on the machines is where it was.",
  loading: "Looking…",
  signIn: "Sign in",
  token: "Token",
  tokenHint: "The first token is in the file steward-token of the service's data folder.",
  everythingElse: "everything else",
  free: "free",
  reserve: "reserve",
};

export const standingShape: Record<Standing, string> = {
  ready: "□",
  "under-way": "◧",
  waiting: "◫",
  stuck: "▲",
  settled: "■",
  drifted: "◇",
  silent: "–",
};

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

export const count = (n: number, one: string, many = `${one}s`) =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString("en")} ${many}`;

/** "3 minutes ago"; the exact time belongs into the title. */
export function ago(iso: string | null | undefined, now = Date.now()): string {
  if (!iso) return "never";
  const seconds = Math.max(0, (now - Date.parse(iso)) / 1000);
  if (seconds < 90) return "just now";
  if (seconds < 5400) return `${Math.round(seconds / 60)} minutes ago`;
  if (seconds < 129600) return `${Math.round(seconds / 3600)} hours ago`;
  return `${Math.round(seconds / 86400)} days ago`;
}

/** Shortens a path in its middle. */
export function shorten(path: string, length = 44): string {
  if (path.length <= length) return path;
  const keep = Math.floor((length - 1) / 2);
  return `${path.slice(0, keep)}…${path.slice(-keep)}`;
}
