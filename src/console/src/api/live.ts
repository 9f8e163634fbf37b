import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";
import { session } from "./session";

const GATHER_MS = 400;
const LONGEST_MS = 10_000;
const SHARE = 4;

/** Listens for hints that something changed and has what is shown fetched again; says whether the service is heard. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const lost = useSyncExternalStore(session.listen, session.isLost);
  const [heard, setHeard] = useState(true);
  useEffect(() => {
    // Anyone who has signed in again listens again.
    if (lost) return;
    let waiting: number | undefined;
    let again = false;
    let pause = GATHER_MS;
    const fetchAgain = () => {
      if (!again || waiting !== undefined) return;
      waiting = window.setTimeout(async () => {
        again = false;
        const began = performance.now();
        await queries.invalidateQueries();
        // What takes long to fetch is not fetched all the time.
        pause = Math.min(Math.max(GATHER_MS, SHARE * (performance.now() - began)), LONGEST_MS);
        waiting = undefined;
        if (source.readyState !== EventSource.CLOSED) fetchAgain();
      }, pause);
    };
    const source = new EventSource("/api/v1/events");
    source.onopen = () => {
      setHeard(true);
      queries.invalidateQueries();
    };
    source.onerror = () => {
      setHeard(false);
      // Turned away, not just cut off: the next call learns why, and asks for a way in.
      if (source.readyState === EventSource.CLOSED) queries.invalidateQueries();
    };
    source.onmessage = () => {
      again = true;
      fetchAgain();
    };
    return () => {
      source.close();
      window.clearTimeout(waiting);
    };
  }, [queries, lost]);
  return heard;
}
