import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

const GATHER_MS = 400;

/** Listens for hints that something changed and has what is shown fetched again; says whether the service is heard. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const [heard, setHeard] = useState(true);
  useEffect(() => {
    let waiting: number | undefined;
    const source = new EventSource("/api/v1/events");
    source.onopen = () => {
      setHeard(true);
      queries.invalidateQueries();
    };
    source.onerror = () => setHeard(false);
    source.onmessage = () => {
      waiting ??= window.setTimeout(() => {
        waiting = undefined;
        queries.invalidateQueries();
      }, GATHER_MS);
    };
    return () => {
      source.close();
      window.clearTimeout(waiting);
    };
  }, [queries]);
  return heard;
}
