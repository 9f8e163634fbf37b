import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Refusal } from "../api/client";
import { words } from "../words";
import { Sentence } from "./FailureNote";

/** What a page shows once it has been fetched; what was fetched once stays in sight. */
export function Fetched<T>({ query, children }: { query: UseQueryResult<T>; children: (data: T) => ReactNode }) {
  return query.data === undefined ? <NotYet query={query} /> : children(query.data);
}

/** Says of what a page needs before it can show anything that it is being fetched, was refused, or that the service does not answer. */
export function NotYet({ query }: { query: Pick<UseQueryResult, "error" | "isFetching" | "refetch"> }) {
  if (!query.error)
    return (
      <p className="quiet" role="status">
        {words.loading}
      </p>
    );
  return (
    <div className="failure" role="alert">
      <p>
        <Sentence text={query.error instanceof Refusal ? query.error.message : words.unreachable} />
      </p>
      {query.error instanceof Refusal && query.error.remedy && (
        <p>
          <Sentence text={query.error.remedy} />
        </p>
      )}
      {!(query.error instanceof Refusal) && (
        <button type="button" disabled={query.isFetching} onClick={() => query.refetch()}>
          {query.isFetching ? words.loading : words.askAgain}
        </button>
      )}
    </div>
  );
}

/** Why something that was asked for was not done. */
export function Wrong({ error }: { error: Error | null | undefined }) {
  if (!error) return null;
  const remedy = error instanceof Refusal ? error.remedy : undefined;
  return (
    <p className="wrong" role="alert">
      <Sentence text={error instanceof Refusal ? error.message : words.unreachable} />
      {remedy && (
        <>
          {" "}
          <Sentence text={remedy} />
        </>
      )}
    </p>
  );
}
