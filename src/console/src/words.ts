import type { Standing, VolumeSpace } from "./api/client";

/** Everything the console says, in one place. */
export const words = {
  title: "Furlough",
  from: "from",
  rooms: "Rooms",
  space: "Space",
  plans: "Plans",
  filterPlans: "Filter plans",
  filterPlansHint: "title or name",
  filterPlanHint: "name, room or wave",
  noPlans: "No plan has been made yet.",
  noPlansHow: "Write a brief.",
  noPlanFits: "No plan fits this filter.",
  nothingToRelocateHere: "Nothing can be relocated here: every relocation is blocked.",
  stays: "stays",
  newBrief: "New brief",
  brief: "Brief",
  briefHow:
    "A brief says what goes where. Write it here: Ctrl+Space offers what may stand at a place, and what it means for the fleet is said beside it. Nothing is touched by a plan.",
  meaning: "What it means",
  missed: "What it misses",
  makePlan: "Make a plan",
  planning: "Planning…",
  runs: "Runs",
  filterRuns: "Filter runs",
  filterRunsHint: "title, name or state",
  filterRunHint: "machine, room, state or step",
  noRuns: "Nothing has been carried out yet.",
  noRunsHow: "Choose a plan.",
  noRunFits: "No run fits this filter.",
  runState: {
    proposed: "proposed",
    running: "running",
    paused: "paused",
    halted: "halted",
    ended: "ended",
  },
  runStands: {
    proposed: "It is proposed: a second person has to approve it before anything begins.",
    running: "It is running.",
    paused: "It is paused: nothing further is begun.",
    halted: "It is halted.",
    ended: "It has ended.",
  },
  haltSure: (run: number) =>
    `Run ${run} begins nothing further and cannot be resumed. What is repointed already ends; everything else is undone and its data stays at the source.`,
  report: "report",
  heldMeans: "Nothing is begun on it for now.",
  holdMachine: "Hold this machine",
  holdWhy: "What is going on there?",
  audits: "Audits",
  makeAudit: "Make an audit",
  auditing: "Every machine looks again…",
  auditHow:
    "An audit compares every machine with what is intended. Machines survey themselves for it, so it takes up to half a minute.",
  filterFindings: "Filter findings",
  filterFindingsHint: "machine, code or account",
  noFindings: "Everything is as it should be.",
  noFindingFits: "No finding fits this filter.",
  findingSeverity: {
    blocking: "is wrong",
    consent: "wants somebody's look",
    advice: "advice",
  },
  history: "History",
  filterHistory: "Filter history",
  filterHistoryHint: "name, run 2, relocation 190",
  noHistoryFits: "Nothing in the history fits this filter.",
  earlier: "Earlier entries",
  errands: "Errands",
  filterErrands: "Filter errands",
  filterErrandsHint: "machine, room, account or what",
  noErrands: "Nothing waits for a person.",
  noErrandFits: "No errand fits this filter.",
  errandsOver: "Over",
  errandKind: {
    "be-there": "Be at the machine",
    "plug-in": "Plug in a volume",
    format: "Format a volume",
    "sign-out": "Have an account sign out",
    "close-files": "Have files closed",
    "close-programs": "Have a program closed",
    restart: "Restart the machine",
    "second-factor": "Give a second factor",
    "confirm-by-eye": "Look whether all is there",
  },
  severity: {
    blocking: "blocks the relocation",
    consent: "wants consent",
    advice: "advice",
  },
  whatTakesSpace: "what takes the space, and how it grows",
  filterVolumes: "Filter volumes",
  filterVolumesHint: "machine, room or system",
  noVolumeFits: "No volume fits this filter.",
  notSurveyed: "It has not been surveyed yet.",
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

/** A size that may be negative. */
export const sizeSigned = (bytes: number) => (bytes < 0 ? `-${size(Math.round(-bytes))}` : size(Math.round(bytes)));

/** Days after which nobody plans by such a figure. */
const far = 1_000;

/** "23", "reached", "years"; nothing where nothing is known. */
export function daysLeft(v: VolumeSpace): string {
  if (v.daysLeft !== null && v.daysLeft <= 0) return "reached";
  if (!v.growth) return "";
  if (v.daysLeft === null) return "hardly grows";
  return v.daysLeft >= far ? "years" : v.daysLeft.toFixed(0);
}

/** "19 and 31", "40 and never". */
export function rangeOfDays(v: VolumeSpace): string {
  if (v.daysLeft === null || v.daysLeft <= 0 || v.daysLeft >= far || v.earliestDaysLeft === null) return "";
  const latest = v.latestDaysLeft !== null && v.latestDaysLeft < far ? v.latestDaysLeft.toFixed(0) : "never";
  return `${v.earliestDaysLeft.toFixed(0)} and ${latest}`;
}

/** What there is to say of a volume's space, in one or two sentences. */
export function spaceSentence(v: VolumeSpace): string {
  const what = `${v.root}${v.system ? " (system)" : ""} has ${size(v.freeBytes)} of ${size(v.sizeBytes)} free`;
  if (v.freeBytes < v.reserveBytes) return `${what}, which is ${size(v.reserveBytes - v.freeBytes)} below its reserve.`;
  if (!v.growth) return `${what}. Its history is too short to say how it grows.`;
  const seen = `${what}. In the last ${v.growth.days.toFixed(0)} days it`;
  if (v.daysLeft === null || v.daysLeft >= far) return `${seen} hardly filled up.`;
  const end = v.reserveBytes > 0 ? "reaches its reserve" : "is full";
  return `${seen} filled up by ${size(Math.round(v.growth.bytesPerDay))} a day; so it ${end} in about ${v.daysLeft.toFixed(0)} days, with 90 % certainty between ${rangeOfDays(v)}.`;
}

/** Seconds of a length of time as the API writes it: "1.02:03:04.5" is a day, two hours, three minutes and so on. */
export function duration(text: string): number {
  const parts = /^(?:(\d+)\.)?(\d+):(\d+):(\d+(?:\.\d+)?)$/.exec(text)?.slice(1) ?? [];
  const [days = 0, hours = 0, minutes = 0, seconds = 0] = parts.map((p) => Number(p ?? 0));
  return days * 86400 + hours * 3600 + minutes * 60 + seconds;
}

/** A length of time to two units: "40 s", "12 min", "3 h 20 min", "2 days 4 h". */
export function length(time: string | number): string {
  const seconds = typeof time === "number" ? time : duration(time);
  if (seconds < 99.5) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 100) return `${minutes} min`;
  if (minutes < 48 * 60) return `${Math.floor(minutes / 60)} h${minutes % 60 === 0 ? "" : ` ${minutes % 60} min`}`;
  const hours = Math.round(seconds / 3600);
  return `${Math.floor(hours / 24)} days${hours % 24 === 0 ? "" : ` ${hours % 24} h`}`;
}

/** "12 min (at most 20 min)". */
export const spanWords = (span: { likely: string; high: string }) =>
  `${length(span.likely)} (at most ${length(span.high)})`;

/** "Thu 26 Nov 22:30 to 00:00", in the reader's own time. */
export function hoursWords(hours: { from: string; to: string }): string {
  const [from, to] = [new Date(hours.from), new Date(hours.to)];
  const clock = (t: Date) => t.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = (t: Date) => t.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short" });
  const far = to.getTime() - from.getTime() > 86_400_000;
  return `${day(from)} ${clock(from)} to ${far ? `${day(to)} ` : ""}${clock(to)}`;
}

/** "3 Nov". */
export const dayOf = (time: number) =>
  new Date(time).toLocaleDateString("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });

/** Whose a holding is: an account's, or what all accounts of a machine share. */
export const ownerWords = (account: string) => account || "the machine";

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
