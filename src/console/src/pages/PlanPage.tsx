import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, type PlanView } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet, Wrong } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { HazardList } from "../parts/HazardList";
import { useMay } from "../parts/Me";
import { Phrase } from "../parts/Phrase";
import { Time } from "../parts/Time";
import { count, duration, hoursWords, length, size, spanWords, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

export function PlanPage() {
  const number = Number(useParams().number);
  const plan = useQuery({ queryKey: ["plan", number], queryFn: () => api.plan(number) });
  if (!plan.data) return <NotYet query={plan} />;
  return <Plan plan={plan.data} />;
}

function Plan({ plan }: { plan: PlanView }) {
  const filter = useFilter();
  const machines = plan.machines.filter((m) => fits(`${m.name} ${m.room} ${m.wave}`, filter));
  return (
    <>
      <FilterHeading
        title={words.titled(words.planTitle(plan.number), plan.title)}
        label={words.filter}
        hint={words.filterPlanHint}
      />
      <p className="quiet">
        <Phrase
          text={words.planMade}
          when={<Time at={plan.madeAt} />}
          who={plan.madeBy}
          digest={<code>{plan.digest.slice(0, 16)}</code>}
        />
      </p>
      <p>{whatItDoes(plan)}</p>
      <Next plan={plan} />

      <h2>{words.when}</h2>
      {plan.hours.length > 0 && <p>{words.onlyInHours(plan.hours.map(hoursWords))}</p>}
      <table>
        <Columns
          of={[
            ["col-standing", words.columns.wave],
            ["number", words.columns.machines],
            ["number", words.columns.relocations],
            ["number", words.columns.data],
            ["number", words.columns.beginsAfter],
            ["number", words.columns.takes],
            ["number", words.columns.atMost],
            words.columns.slowestMachine,
          ]}
        />
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
        {words.machines} <span className="quiet">{words.bySpaceLeft(count(machines.length, "machine"))}</span>
      </h2>
      <table>
        <Columns
          of={[
            ["col-name", words.columns.machine],
            words.columns.room,
            words.columns.wave,
            ["number", words.columns.relocations],
            ["number", words.columns.data],
            ["number", words.columns.outage],
            words.columns.tightestVolume,
            ["number", words.columns.freeNow],
            ["number", words.columns.lowest],
            ["number", words.columns.reserve],
          ]}
        />
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
                <td className="number">{v && (v.reserveBytes > 0 ? size(v.reserveBytes) : words.none)}</td>
              </tr>
            ))}
        </tbody>
      </table>
      {machines.length > MOST && (
        <p className="quiet">{words.moreByFilter(count(machines.length - MOST, "machine"))}</p>
      )}
    </>
  );
}

const margin = (v: PlanView["machines"][number]["volumes"][number] | undefined) =>
  v ? v.lowestFreeBytes - v.reserveBytes : Number.POSITIVE_INFINITY;

function whatItDoes(plan: PlanView): string {
  const going = plan.relocations.filter((r) => r.blocked.length === 0);
  if (going.length === 0) return words.nothingInPlan;
  const blocked = plan.relocations.length - going.length;
  const outage = plan.machines.reduce((sum, m) => sum + duration(m.outage.likely), 0);
  const data = going.reduce((sum, r) => sum + r.dataBytes, 0);
  return words.planDoes(
    words.on(count(going.length, "relocation"), count(new Set(going.map((r) => r.machine)).size, "machine")),
    size(data),
    blocked,
    outage === 0 ? undefined : length(outage),
    length(plan.keep),
  );
}

/** What is to be done with the plan now. */
function Next({ plan }: { plan: PlanView }) {
  if (plan.runs.length > 0)
    return (
      <p>
        <Phrase
          text={words.carriedOut}
          run={<Link to={`/runs/${plan.runs.at(-1)}`}>{words.runNumber(plan.runs.at(-1) ?? 0)}</Link>}
        />
      </p>
    );
  if (plan.overtaken.length > 0)
    return (
      <div className="failure">
        <p>{words.planOvertaken}</p>
        <ul>
          {plan.overtaken.slice(0, 5).map((o) => (
            <li key={o}>{o}</li>
          ))}
        </ul>
        {plan.overtaken.length > 5 && <p>{words.andMore(plan.overtaken.length - 5)}</p>}
      </div>
    );
  if (plan.relocations.every((r) => r.blocked.length > 0)) return null;
  if (plan.consentsWanted.length > 0)
    return (
      <p>
        <Phrase
          text={words.acceptFirst}
          hazards={<strong>{words.toAccept(count(plan.consentsWanted.length, "hazard"))}</strong>}
          list={plan.consentsWanted.map((code, i) => (
            <span key={code}>
              {i > 0 && ", "}
              <a href={`#${code}`}>{code}</a>
            </span>
          ))}
        />
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
  if (!useMay("technician")) return null;
  return (
    <p className="actions">
      <button type="button" disabled={start.isPending} onClick={() => start.mutate()}>
        {words.carryOut(
          words.on(count(going.length, "relocation"), count(new Set(going.map((r) => r.machine)).size, "machine")),
        )}
      </button>
      <Wrong error={start.error} />
    </p>
  );
}
