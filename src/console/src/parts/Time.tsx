import { useSyncExternalStore } from "react";
import { atTime, exactTime, words } from "../words";

const TICK_MS = 15_000;

/** One clock for all times that are shown. */
const listeners = new Set<() => void>();
let now = Date.now();
setInterval(() => {
  now = Date.now();
  for (const listener of listeners) listener();
}, TICK_MS);

const listen = (listener: () => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** A time as everywhere in the console: "today 14:06", with the exact time and its zone when it is pointed at. */
export function Time({ at }: { at: string | null | undefined }) {
  const clock = useSyncExternalStore(listen, () => now);
  if (!at) return words.never;
  return (
    <time dateTime={at} title={exactTime(at)}>
      {atTime(at, clock)}
    </time>
  );
}
