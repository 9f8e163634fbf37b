import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link } from "react-router";
import { api, type ErrandView } from "../api/client";
import { words } from "../words";
import { Sentence } from "./FailureNote";

/** Whether somebody has still to do it. */
export const isToDo = (errand: ErrandView) => errand.state === "open" || errand.state === "claimed";

/** An errand that is to be done, with what can be done with it. */
export function ErrandCard({ errand: e }: { errand: ErrandView }) {
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
