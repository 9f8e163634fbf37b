import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link } from "react-router";
import { api, type ErrandView } from "../api/client";
import { Sentence } from "../parts/FailureNote";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { ago, count, words } from "../words";

const isToDo = (errand: ErrandView) => errand.state === "open" || errand.state === "claimed";

/** What waits for a person, the most urgent first; at the end what is over. */
export function ErrandsPage() {
  const errands = useQuery({ queryKey: ["errands"], queryFn: () => api.errands(true) });
  const filter = useFilter();
  if (!errands.data) return <p className="quiet">{words.loading}</p>;
  const shown = errands.data.filter((e) =>
    fits(`${e.machine} ${e.room} ${e.account ?? ""} ${words.errandKind[e.kind]} ${e.claimedBy ?? ""}`, filter),
  );
  const toDo = shown.filter(isToDo);
  const over = shown.filter((e) => !isToDo(e)).toSorted((a, b) => (b.endedAt ?? "").localeCompare(a.endedAt ?? ""));
  return (
    <>
      <FilterHeading title={words.errands} label={words.filterErrands} hint={words.filterErrandsHint} />
      {toDo.length === 0 && <p>{errands.data.some(isToDo) ? words.noErrandFits : words.noErrands}</p>}
      {toDo.map((e) => (
        <ErrandCard key={e.number} errand={e} />
      ))}
      {over.length > 0 && (
        <details>
          <summary>
            {words.errandsOver}: {count(over.length, "errand")}
          </summary>
          <ul>
            {over.map((e) => (
              <li key={e.number}>
                {e.number} {words.errandKind[e.kind]}, {e.machine}: {ended(e)}{" "}
                <span className="quiet" title={e.endedAt ?? undefined}>
                  {ago(e.endedAt)}
                </span>
                {e.remark && `: ${e.remark}`}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

const ended = (e: ErrandView) => (e.state === "lapsed" ? "settled itself" : `${e.state} by ${e.endedBy}`);

function ErrandCard({ errand: e }: { errand: ErrandView }) {
  return (
    <section className="errand" aria-label={`Errand ${e.number}`}>
      <h2>
        {words.errandKind[e.kind]} <Link to={`/machines/${e.machine}`}>{e.machine}</Link>
      </h2>
      <p className="quiet">
        {e.room}
        {e.account && `, ${e.account}`} ·{" "}
        <span className={e.overdue ? "wrong" : undefined} title={e.due}>
          {e.overdue ? "overdue: was due" : "until"}{" "}
          {new Date(e.due).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}
        </span>{" "}
        · {e.claimedBy ? `claimed by ${e.claimedBy}` : "nobody has claimed it"}
      </p>
      <p>
        <Sentence text={e.text} />
      </p>
      <ErrandForm errand={e} />
    </section>
  );
}

/** Declining wants a reason; finishing takes a remark along if there is one. */
function ErrandForm({ errand: e }: { errand: ErrandView }) {
  const queries = useQueryClient();
  const [remark, setRemark] = useState("");
  const field = useId();
  const done = { onSettled: () => queries.invalidateQueries() };
  const claim = useMutation({ mutationFn: () => api.claimErrand(e.number), ...done });
  const finish = useMutation({ mutationFn: () => api.finishErrand(e.number, remark.trim() || null), ...done });
  const decline = useMutation({ mutationFn: () => api.declineErrand(e.number, remark), ...done });
  const wrong = claim.error ?? finish.error ?? decline.error;
  const busy = claim.isPending || finish.isPending || decline.isPending;
  return (
    <form
      className="accept"
      onSubmit={(event) => {
        event.preventDefault();
        finish.mutate();
      }}
    >
      <label htmlFor={field}>A remark, or why it will not be done</label>
      <input id={field} value={remark} maxLength={1000} onChange={(event) => setRemark(event.target.value)} />
      {!e.claimedBy && (
        <button type="button" disabled={busy} onClick={() => claim.mutate()}>
          I will do errand {e.number}
        </button>
      )}
      <button type="submit" disabled={busy}>
        Errand {e.number} is done
      </button>
      <button type="button" disabled={busy || remark.trim() === ""} onClick={() => decline.mutate()}>
        Decline errand {e.number}
      </button>
      {wrong && (
        <p className="wrong" role="alert">
          {wrong.message}
        </p>
      )}
    </form>
  );
}
