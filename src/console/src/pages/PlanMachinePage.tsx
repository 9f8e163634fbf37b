import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, type PlannedMachine, type PlanView } from "../api/client";
import { HazardList } from "../parts/HazardList";
import { PathButton } from "../parts/PathButton";
import { SpaceTimeline, timelineSentence } from "../parts/SpaceTimeline";
import { count, duration, length, ownerWords, size, spanWords, words } from "../words";

/** What a plan has for one machine: its relocations in sequence, and the space of its volumes through all of them. */
export function PlanMachinePage() {
  const { number = "", name = "" } = useParams();
  const plan = useQuery({ queryKey: ["plan", Number(number)], queryFn: () => api.plan(Number(number)) });
  if (plan.error) return <p>{plan.error.message}</p>;
  if (!plan.data) return <p className="quiet">{words.loading}</p>;
  const machine = plan.data.machines.find((m) => m.name === name);
  if (!machine)
    return (
      <p>
        <Link to={`/plans/${number}`}>Plan {number}</Link> has nothing for {name}.
      </p>
    );
  return <PlanMachine plan={plan.data} machine={machine} />;
}

function PlanMachine({ plan, machine }: { plan: PlanView; machine: PlannedMachine }) {
  const relocations = plan.relocations.filter((r) => r.machine === machine.machine);
  const touched = machine.volumes.filter((v) => v.timeline.length > 1);
  return (
    <>
      <div className="heading">
        <h1>
          {machine.name} <span className="quiet">in plan {plan.number}</span>
        </h1>
        <p className="quiet">
          {machine.room} · wave {machine.wave} · <Link to={`/plans/${plan.number}`}>{plan.title}</Link> ·{" "}
          <Link to={`/machines/${machine.name}`}>the machine as it is</Link>
        </p>
      </div>
      <p>
        {machine.relocations === 0
          ? words.nothingToRelocateHere
          : `${count(machine.relocations, "relocation")}, ${size(machine.dataBytes)}, in ${spanWords(machine.work)}; ${duration(machine.outage.likely) === 0 ? "nobody is kept out" : `accounts are kept out for ${spanWords(machine.outage)}`}.`}
      </p>

      {touched.map((v) => (
        <section key={v.volume} aria-label={`Space of ${v.root}`}>
          <h2>
            Space of <code>{v.root}</code> {v.system && <span className="quiet">system</span>}
          </h2>
          <p>{timelineSentence(v)}</p>
          <SpaceTimeline volume={v} />
        </section>
      ))}

      <h2>In this sequence</h2>
      <table>
        <thead>
          <tr>
            <th className="number col-number">no.</th>
            <th>holding</th>
            <th>from</th>
            <th>to</th>
            <th>method</th>
            <th className="number">files</th>
            <th className="number">data</th>
            <th className="number">takes</th>
            <th className="number">outage</th>
            <th>blocked by</th>
          </tr>
        </thead>
        <tbody>
          {relocations.map((r) => (
            <tr key={`${r.holding.account} ${r.holding.kind} ${r.holding.name}`}>
              <td className="number">{r.sequence}</td>
              <th scope="row">
                {r.holding.name} of {ownerWords(r.holding.account)}
              </th>
              <td className="path live">
                <PathButton path={r.sourceShown} />
              </td>
              <td className="path">
                <PathButton path={r.targetShown} />
              </td>
              <td>{r.method}</td>
              <td className="number">{r.files.toLocaleString("en")}</td>
              <td className="number">{size(r.dataBytes)}</td>
              <td className="number" title={r.forecast ? spanWords(r.forecast.work) : undefined}>
                {r.forecast && length(r.forecast.work.likely)}
              </td>
              <td className="number" title={r.forecast ? spanWords(r.forecast.outage) : undefined}>
                {r.forecast && length(r.forecast.outage.likely)}
              </td>
              <td className={r.blocked.length > 0 ? "wrong" : ""}>{r.blocked.join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <HazardList
        plan={plan.number}
        hazards={plan.hazards.filter((h) => h.machine === machine.name)}
        consents={plan.consents}
        ofMachine
      />
    </>
  );
}
