import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, type PlannedMachine, type PlanView } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { HazardList } from "../parts/HazardList";
import { PathButton } from "../parts/PathButton";
import { Phrase } from "../parts/Phrase";
import { SpaceTimeline, timelineSentence } from "../parts/SpaceTimeline";
import { count, duration, length, ownerWords, size, spanWords, words } from "../words";

/** What a plan has for one machine: its relocations in order, and the space of its volumes through all of them. */
export function PlanMachinePage() {
  const { number = "", name = "" } = useParams();
  const plan = useQuery({ queryKey: ["plan", Number(number)], queryFn: () => api.plan(Number(number)) });
  if (!plan.data) return <NotYet query={plan} />;
  const machine = plan.data.machines.find((m) => m.name === name);
  if (!machine)
    return (
      <p>
        <Phrase
          text={words.planHasNothing}
          plan={<Link to={`/plans/${number}`}>{words.planTitle(number)}</Link>}
          machine={name}
        />
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
          {machine.name} <span className="quiet">{words.inPlan(plan.number)}</span>
        </h1>
        <p className="quiet">
          <Phrase
            text={words.plannedMachine}
            room={machine.room}
            wave={machine.wave}
            plan={<Link to={`/plans/${plan.number}`}>{plan.title}</Link>}
            machine={<Link to={`/machines/${machine.name}`}>{words.machineAsItIs}</Link>}
          />
        </p>
      </div>
      <p>
        {machine.relocations === 0
          ? words.nothingToRelocateHere
          : words.plannedHere(
              count(machine.relocations, "relocation"),
              size(machine.dataBytes),
              spanWords(machine.work),
              duration(machine.outage.likely) === 0 ? undefined : spanWords(machine.outage),
            )}
      </p>

      {touched.map((v) => (
        <section key={v.volume} aria-label={words.spaceOf(v.root)}>
          <h2>
            <Phrase text={words.spaceOf("{root}")} root={<code>{v.root}</code>} />{" "}
            {v.system && <span className="quiet">{words.system}</span>}
          </h2>
          <p>{timelineSentence(v)}</p>
          <SpaceTimeline volume={v} />
        </section>
      ))}

      <h2>{words.inThisSequence}</h2>
      <table>
        <Columns
          of={[
            ["number col-number", words.columns.no],
            words.columns.holding,
            words.columns.from,
            words.columns.to,
            words.columns.method,
            ["number", words.columns.files],
            ["number", words.columns.data],
            ["number", words.columns.takes],
            ["number", words.columns.outage],
            words.columns.blockedBy,
          ]}
        />
        <tbody>
          {relocations.map((r) => (
            <tr key={`${r.holding.account} ${r.holding.kind} ${r.holding.name}`}>
              <td className="number">{r.sequence}</td>
              <th scope="row">{words.of(r.holding.name, ownerWords(r.holding.account))}</th>
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
