import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../api/client";
import type { BriefError } from "../editor/BriefEditor";
import type { Schema } from "../editor/completion";
import { Columns } from "../parts/Columns";
import { Sentence } from "../parts/FailureNote";
import { NotYet, Wrong } from "../parts/Fetched";
import { Phrase } from "../parts/Phrase";
import { count, size, words } from "../words";

const BriefEditor = lazy(() => import("../editor/BriefEditor"));
const KEPT = "furlough-brief";
const QUIET_MS = 400;

/** Writes a brief: what it means for the fleet is said while one writes. */
export function BriefPage() {
  const sample = useQuery({
    queryKey: ["brief", "sample"],
    queryFn: api.briefSample,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const schema = useQuery({
    queryKey: ["brief", "schema"],
    queryFn: api.briefSchema,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!sample.data) return <NotYet query={sample} />;
  if (!schema.data) return <NotYet query={schema} />;
  return <Brief sample={sample.data.brief} schema={schema.data as Schema} />;
}

/** A text once nothing has been written for a moment. */
function useRested(text: string): string {
  const [rested, setRested] = useState(text);
  useEffect(() => {
    const waiting = window.setTimeout(() => setRested(text), QUIET_MS);
    return () => window.clearTimeout(waiting);
  }, [text]);
  return rested;
}

function Brief({ sample, schema }: { sample: string; schema: Schema }) {
  const [text, setText] = useState(() => sessionStorage.getItem(KEPT) ?? sample);
  const rested = useRested(text);
  const navigate = useNavigate();
  const queries = useQueryClient();
  useEffect(() => sessionStorage.setItem(KEPT, text), [text]);
  const check = useQuery({
    queryKey: ["brief", "check", rested],
    queryFn: () => api.checkBrief(rested),
    placeholderData: (before) => before,
  });
  const plan = useMutation({
    mutationFn: () => api.makePlan(text),
    onSuccess: (made) => {
      queries.invalidateQueries();
      navigate(`/plans/${made.number}`);
    },
  });
  const errors = check.data?.errors ?? [];
  return (
    <>
      <div className="heading">
        <h1>{words.newBrief}</h1>
        <button
          type="button"
          disabled={plan.isPending || !check.data || errors.length > 0}
          onClick={() => plan.mutate()}
        >
          {plan.isPending ? words.planning : words.makePlan}
        </button>
      </div>
      <p className="quiet">{words.briefHow}</p>
      <div className="brief">
        <Suspense fallback={<p className="quiet">{words.loading}</p>}>
          <BriefEditor text={text} schema={schema} errors={errors} label={words.brief} onChange={setText} />
        </Suspense>
        <section aria-label={words.meaning} aria-live="polite">
          <h2>{words.meaning}</h2>
          {check.error && <p className="wrong">{check.error.message}</p>}
          {errors.length > 0 ? <Errors errors={errors} /> : check.data && <Meaning check={check.data} />}
          <Wrong error={plan.error} />
        </section>
      </div>
    </>
  );
}

function Errors({ errors }: { errors: BriefError[] }) {
  return (
    <div className="failure">
      <p>{words.cannotBePlanned(count(errors.length, "error"))}</p>
      <ul>
        {errors.map((e) => (
          <li key={`${e.line}:${e.column}:${e.message}`}>
            <Sentence text={words.errorAt(e)} />
          </li>
        ))}
      </ul>
    </div>
  );
}

function Meaning({ check }: { check: Awaited<ReturnType<typeof api.checkBrief>> }) {
  return (
    <>
      <p>
        <Phrase
          text={words.briefMeans}
          title={<strong>{check.title}</strong>}
          machines={count(check.machines, "machine")}
          holdings={count(check.holdings, "holding")}
        />
      </p>
      <table>
        <Columns
          of={[
            ["number", words.columns.line],
            words.columns.what,
            ["number", words.columns.machines],
            ["number", words.columns.holdings],
            ["number", words.columns.data],
          ]}
        />
        <tbody>
          {check.lines.map((l) => (
            <tr key={`${l.line} ${l.what}`}>
              <td className="number">{l.line > 0 && l.line}</td>
              <th scope="row">{l.what}</th>
              <td className="number">{l.machines}</td>
              <td className="number">{l.holdings > 0 && l.holdings}</td>
              <td className="number">{l.dataBytes > 0 && size(l.dataBytes)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {check.missed.length > 0 && (
        <>
          <h3>{words.missed}</h3>
          <ul>
            {check.missed.map((m) => (
              <li key={m}>
                <Sentence text={m} />
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
