import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link } from "react-router";
import { api, type ErrandView } from "../api/client";
import { words } from "../words";
import { Sentence } from "./FailureNote";
import { Wrong } from "./Fetched";
import { Only } from "./Me";
import { Phrase } from "./Phrase";
import { useResult } from "./Result";
import { Time } from "./Time";

/** Whether someone has still to do it. */
export const isToDo = (errand: ErrandView) => errand.state === "open" || errand.state === "claimed";

/** An errand that is to be done, with what can be done with it. */
export function ErrandCard({ errand: e }: { errand: ErrandView }) {
  return (
    <section className="errand" aria-label={words.errandTitle(e.number)}>
      <h2>
        {words.errandKind[e.kind]} <Link to={`/machines/${e.machine}`}>{e.machine}</Link>
      </h2>
      <p className="quiet">
        <Phrase
          text="{where} · {due} · {claimed}"
          where={e.account ? `${e.room}, ${e.account}` : e.room}
          due={
            <span className={e.overdue ? "wrong" : undefined}>
              {e.overdue ? words.errandWasDue : words.errandUntil} <Time at={e.due} />
            </span>
          }
          claimed={words.claimed(e.claimedBy)}
        />
      </p>
      <p>
        <Sentence text={e.text} />
      </p>
      <Only least="technician">
        <ErrandForm errand={e} />
      </Only>
    </section>
  );
}

/** Declining needs a reason; finishing takes a remark along if there is one. */
function ErrandForm({ errand: e }: { errand: ErrandView }) {
  const queries = useQueryClient();
  const [remark, setRemark] = useState("");
  const field = useId();
  const say = useResult();
  const done = (what: string) => ({ onSuccess: () => say(what), onSettled: () => queries.invalidateQueries() });
  const claim = useMutation({ mutationFn: () => api.claimErrand(e.number), ...done(words.nowDone.claimed(e.number)) });
  const finish = useMutation({
    mutationFn: () => api.finishErrand(e.number, remark.trim() || null),
    ...done(words.nowDone.finished(e.number)),
  });
  const decline = useMutation({
    mutationFn: () => api.declineErrand(e.number, remark),
    ...done(words.nowDone.declined(e.number)),
  });
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
      <label htmlFor={field}>{words.remark}</label>
      <input id={field} value={remark} maxLength={1000} onChange={(event) => setRemark(event.target.value)} />
      {!e.claimedBy && (
        <button type="button" disabled={busy} onClick={() => claim.mutate()}>
          {words.claim(e.number)}
        </button>
      )}
      <button type="submit" disabled={busy}>
        {words.finish(e.number)}
      </button>
      <button type="button" disabled={busy || remark.trim() === ""} onClick={() => decline.mutate()}>
        {words.decline(e.number)}
      </button>
      <Wrong error={wrong} />
    </form>
  );
}
