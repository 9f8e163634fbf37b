import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, type PlanView } from "../api/client";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { HazardList } from "../parts/HazardList";
import { ago, count, duration, hoursWords, length, size, spanWords, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

export function PlanPage() {
  const number = Number(useParams().number);
  const plan = useQuery({ queryKey: ["plan", number], queryFn: () => api.plan(number) });
  if (plan.error) return <p>{plan.error.message}</p>;
  if (!plan.data) return <p className="quiet">{words.loading}</p>;
  return <Plan plan={plan.data} />;
}

function Plan({ plan }: { plan: PlanView }) {
  const filter = useFilter();
  const machines = plan.machines.filter((m) => fits(`${m.name} ${m.room} ${m.wave}`, filter));
  return (
    <>
      <FilterHeading title={`Plan ${plan.number}: ${plan.title}`} label={words.filter} hint={words.filterPlanHint} />
      <p className="quiet">
        made <span title={plan.madeAt}>{ago(plan.madeAt)}</span> by {plan.madeBy} · digest{" "}
        <code>{plan.digest.slice(0, 16)}</code>
      </p>
      <p>{whatItDoes(plan)}</p>
      <Next plan={plan} />

      <h2>When</h2>
      {plan.hours.length > 0 && <p>Only in its allowed hours: {plan.hours.map(hoursWords).join("; ")}; and so on.</p>}
      <table>
        <thead>
          <tr>
            <th className="col-standing">wave</th>
            <th className="number">machines</th>
            <th className="number">relocations</th>
            <th className="number">data</th>
            <th className="number">begins after</th>
            <th className="number">takes</th>
            <th className="number">at most</th>
            <th>slowest machine</th>
          </tr>
        </thead>
        <tbody>
          {plan.calendar.map((w) => (
            <tr key={w.wave}>
              <th scope="row">{w.wave}</th>
              <td className="number">{w.machines}</td>
              <td className="number">{w.relocations}</td>
              <td className="number">{size(w.dataBytes)}</td>
              <td className="number">{w.relocations > 0 && length(w.begins)}</td>
              <td className="number">{w.relocations > 0 && length(w.takes.likely)}</td>
              <td className="number">{w.relocations > 0 && length(w.takes.high)}</td>
              <td>{w.slowest && <Link to={`/plans/${plan.number}/machines/${w.slowest}`}>{w.slowest}</Link>}</td>
            </tr>
          ))}
        </tbody>
      </table>

      <HazardList plan={plan.number} hazards={plan.hazards} consents={plan.consents} />

      <h2>
        Machines <span className="quiet">{count(machines.length, "machine")}, by the space that is left</span>
      </h2>
      <table>
        <thead>
          <tr>
            <th className="col-name">machine</th>
            <th>room</th>
            <th>wave</th>
            <th className="number">relocations</th>
            <th className="number">data</th>
            <th className="number">outage</th>
            <th>tightest volume</th>
            <th className="number">free now</th>
            <th className="number">lowest</th>
            <th className="number">reserve</th>
          </tr>
        </thead>
        <tbody>
          {machines
            .map((m) => ({ m, tightest: m.volumes.toSorted((a, b) => margin(a) - margin(b))[0] }))
            .toSorted((a, b) => margin(a.tightest) - margin(b.tightest))
            .slice(0, MOST)
            .map(({ m, tightest: v }) => (
              <tr key={m.machine}>
                <th scope="row">
                  <Link to={`/plans/${plan.number}/machines/${m.name}`}>{m.name}</Link>
                </th>
                <td>{m.room}</td>
                <td>{m.wave}</td>
                <td className="number">{m.relocations}</td>
                <td className="number">{size(m.dataBytes)}</td>
                <td className="number">{spanWords(m.outage)}</td>
                <td>{v && <code>{v.root}</code>}</td>
                <td className="number">{v && size(v.freeBytes)}</td>
                <td className={v && v.lowestFreeBytes < v.reserveBytes ? "number wrong" : "number"}>
                  {v && size(v.lowestFreeBytes)}
                  {v && v.lowestFreeBytes < v.reserveBytes && " ▼"}
                </td>
                <td className="number">{v && (v.reserveBytes > 0 ? size(v.reserveBytes) : "none")}</td>
              </tr>
            ))}
        </tbody>
      </table>
      {machines.length > MOST && (
        <p className="quiet">and {count(machines.length - MOST, "machine")} more: use the filter.</p>
      )}
    </>
  );
}

const margin = (v: PlanView["machines"][number]["volumes"][number] | undefined) =>
  v ? v.lowestFreeBytes - v.reserveBytes : Number.POSITIVE_INFINITY;

function whatItDoes(plan: PlanView): string {
  const going = plan.relocations.filter((r) => r.blocked.length === 0);
  if (going.length === 0) return "Nothing in this plan can be relocated.";
  const blocked = plan.relocations.length - going.length;
  const outage = plan.machines.reduce((sum, m) => sum + duration(m.outage.likely), 0);
  const data = going.reduce((sum, r) => sum + r.dataBytes, 0);
  return `${count(going.length, "relocation")} on ${count(new Set(going.map((r) => r.machine)).size, "machine")}, ${size(data)}${blocked > 0 ? `; ${count(blocked, "relocation")} more ${blocked === 1 ? "is" : "are"} blocked` : ""}. ${outage === 0 ? "Nobody is kept out" : `Accounts are kept out for ${length(outage)} all together; originals are kept for ${length(plan.keep)}`}.`;
}

/** What is to be done with the plan now. */
function Next({ plan }: { plan: PlanView }) {
  if (plan.runs.length > 0)
    return (
      <p>
        It has been carried out: <Link to={`/runs/${plan.runs.at(-1)}`}>run {plan.runs.at(-1)}</Link>
      </p>
    );
  if (plan.overtaken.length > 0)
    return (
      <div className="failure">
        <p>This plan is overtaken: the machines have changed since it was made. Make a new one from the same brief.</p>
        <ul>
          {plan.overtaken.slice(0, 5).map((o) => (
            <li key={o}>{o}</li>
          ))}
        </ul>
        {plan.overtaken.length > 5 && <p>And {plan.overtaken.length - 5} more.</p>}
      </div>
    );
  if (plan.relocations.every((r) => r.blocked.length > 0)) return null;
  if (plan.consentsWanted.length > 0)
    return (
      <p>
        <strong>{count(plan.consentsWanted.length, "hazard")} to accept</strong> before it can be carried out:{" "}
        {plan.consentsWanted.map((code, i) => (
          <span key={code}>
            {i > 0 && ", "}
            <a href={`#${code}`}>{code}</a>
          </span>
        ))}
        .
      </p>
    );
  return <Start plan={plan} />;
}

function Start({ plan }: { plan: PlanView }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const start = useMutation({
    mutationFn: () => api.startRun(plan.number),
    onSuccess: (run) => {
      queries.invalidateQueries();
      navigate(`/runs/${run.number}`);
    },
  });
  const going = plan.relocations.filter((r) => r.blocked.length === 0);
  return (
    <p className="actions">
      <button type="button" disabled={start.isPending} onClick={() => start.mutate()}>
        Carry out {count(going.length, "relocation")} on {count(new Set(going.map((r) => r.machine)).size, "machine")}
      </button>
      {start.error && (
        <span className="wrong" role="alert">
          {start.error.message}
        </span>
      )}
    </p>
  );
}
