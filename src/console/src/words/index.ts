import type { HistorySubject, Standing, VolumeSpace } from "../api/client";
import { words } from "./english";
import { duration, size } from "./figures";

export * from "./figures";
export { words };

/** How days and times of day are written. */
const LOCALE = "en-GB";

export const standingShape: Record<Standing, string> = {
  ready: "□",
  "under-way": "◧",
  waiting: "◫",
  stuck: "▲",
  settled: "■",
  drifted: "◇",
  silent: "–",
};

/** "wave begun" for `wave-begun`. */
export function inWords(word: string): string {
  return word.replaceAll("-", " ");
}

/** "run 12", "herb-03", "kind card mosses". */
export function subjectInWords({ kind, number, name }: HistorySubject): string {
  if (number !== null) return `${inWords(kind)} ${number}`;
  if (kind === "fleet") return words.allMachines;
  if (kind === "machine" || kind === "account" || kind === "other") return name;
  return `${inWords(kind)} ${name}`.trimEnd();
}

/** Days after which nobody plans by such a figure. */
const far = 1_000;

/** "23", "reached", "years"; nothing where nothing is known. */
export function daysLeft(v: VolumeSpace): string {
  if (v.daysLeft !== null && v.daysLeft <= 0) return words.daysLeft.reached;
  if (!v.growth) return "";
  if (v.daysLeft === null) return words.daysLeft.hardly;
  return v.daysLeft >= far ? words.daysLeft.years : v.daysLeft.toFixed(0);
}

/** "19 and 31", "40 and never". */
export function rangeOfDays(v: VolumeSpace): string {
  if (v.daysLeft === null || v.daysLeft <= 0 || v.daysLeft >= far || v.earliestDaysLeft === null) return "";
  const latest = v.latestDaysLeft !== null && v.latestDaysLeft < far ? v.latestDaysLeft.toFixed(0) : words.never;
  return words.between(v.earliestDaysLeft.toFixed(0), latest);
}

/** What there is to say of a volume's space, in one or two sentences. */
export function spaceSentence(v: VolumeSpace): string {
  const { has, below, tooShort, hardly, fills } = words.spaceSaid;
  if (v.freeBytes < v.reserveBytes) return `${has(v)}, ${below(v.reserveBytes - v.freeBytes)}`;
  if (!v.growth) return `${has(v)}. ${tooShort}`;
  const days = v.growth.days.toFixed(0);
  if (v.daysLeft === null || v.daysLeft >= far) return `${has(v)}. ${hardly(days)}`;
  const rate = size(Math.round(v.growth.bytesPerDay));
  return `${has(v)}. ${fills(days, rate, v.reserveBytes > 0, v.daysLeft.toFixed(0), rangeOfDays(v))}`;
}

/** A length of time to two units: "40 s", "12 min", "3 h 20 min", "2 days 4 h". */
export function length(time: string | number): string {
  const seconds = typeof time === "number" ? time : duration(time);
  if (seconds < 99.5) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 100) return `${minutes} min`;
  if (minutes < 48 * 60) return `${Math.floor(minutes / 60)} h${minutes % 60 === 0 ? "" : ` ${minutes % 60} min`}`;
  const hours = Math.round(seconds / 3600);
  return `${words.days(Math.floor(hours / 24))}${hours % 24 === 0 ? "" : ` ${hours % 24} h`}`;
}

/** "12 min (at most 20 min)". */
export const spanWords = (span: { likely: string; high: string }) =>
  words.atMost(length(span.likely), length(span.high));

/** "Thu 26 Nov 22:30 to 00:00", in the reader's own time. */
export function hoursWords(hours: { from: string; to: string }): string {
  const [from, to] = [new Date(hours.from), new Date(hours.to)];
  const clock = (t: Date) => t.toLocaleTimeString(LOCALE, { hour: "2-digit", minute: "2-digit" });
  const day = (t: Date) => t.toLocaleDateString(LOCALE, { weekday: "short", day: "numeric", month: "short" });
  const long = to.getTime() - from.getTime() > 86_400_000;
  return words.fromTo(`${day(from)} ${clock(from)}`, long ? `${day(to)} ${clock(to)}` : clock(to));
}

/** "3 Nov". */
export const dayOf = (time: number) =>
  new Date(time).toLocaleDateString(LOCALE, { day: "numeric", month: "short", timeZone: "UTC" });

const clockOf = (t: Date) => t.toLocaleTimeString(LOCALE, { hour: "2-digit", minute: "2-digit" });

/** "today 14:06", "yesterday 18:30", "26 Nov 14:06", "26 Nov 2025, 14:06": in the reader's own time. */
export function atTime(iso: string, now = Date.now()): string {
  const [at, today] = [new Date(iso), new Date(now)];
  const days = Math.round((new Date(today).setHours(0, 0, 0, 0) - new Date(at).setHours(0, 0, 0, 0)) / 86_400_000);
  if (days === 0) return words.todayAt(clockOf(at));
  if (days === 1) return words.yesterdayAt(clockOf(at));
  const year = at.getFullYear() === today.getFullYear() ? undefined : "numeric";
  return `${at.toLocaleDateString(LOCALE, { day: "numeric", month: "short", year })} ${clockOf(at)}`;
}

/** "Sunday 29 November 2026 at 14:06:02 UTC": with its zone. */
export const exactTime = (iso: string) =>
  new Date(iso).toLocaleString(LOCALE, { dateStyle: "full", timeStyle: "long" });

/** Whose a holding is: an account's, or what all accounts of a machine share. */
export const ownerWords = (account: string) => account || words.theMachine;

/** "1 machine", "12 machines". */
export function count(n: number, thing: keyof typeof words.counted): string {
  const [one, many] = words.counted[thing];
  return n === 1 ? `1 ${one}` : `${n.toLocaleString("en")} ${many}`;
}
