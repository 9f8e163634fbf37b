import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link } from "react-router";
import { api, type MachineSummary, type Shelf, type Standing } from "../api/client";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { ShelfDrawing, ShelfLegend } from "../parts/ShelfDrawing";
import { StandingMark } from "../parts/StandingMark";
import { count, size, words } from "../words";

const urgency: Record<Standing, number> = {
  stuck: 0,
  drifted: 1,
  waiting: 2,
  silent: 3,
  "under-way": 4,
  ready: 5,
  settled: 6,
};

export function RoomsPage() {
  const machines = useQuery({ queryKey: ["machines"], queryFn: api.machines });
  const filter = useFilter();
  const rooms = useMemo(() => {
    const shown = (machines.data ?? []).filter((m) => fits(`${m.name} ${m.room} ${m.standing}`, filter));
    shown.sort((a, b) => urgency[a.standing] - urgency[b.standing] || a.name.localeCompare(b.name));
    return Map.groupBy(shown, (m) => m.room);
  }, [machines.data, filter]);

  if (!machines.data) return <p className="quiet">{words.loading}</p>;
  if (machines.data.length === 0)
    return (
      <p>
        {words.noMachines} <span className="quiet">{words.noMachinesHow}</span>
      </p>
    );
  return (
    <>
      <FilterHeading title={words.rooms} label={words.filter} hint={words.filterHint} />
      <ShelfLegend />
      {rooms.size === 0 && <p>{words.nothingFits}</p>}
      {[...rooms].map(([room, list]) => (
        <Room key={room} room={room} machines={list} />
      ))}
    </>
  );
}

function Room({ room, machines }: { room: string; machines: MachineSummary[] }) {
  const standings = Map.groupBy(machines, (m) => m.standing);
  const shelves = useQuery({ queryKey: ["machines", "shelves", room], queryFn: () => api.shelves(room) });
  const ofMachine = useMemo(() => new Map(shelves.data?.map((s) => [s.machine, s.shelves])), [shelves.data]);
  return (
    <section aria-label={room}>
      <h2>
        {room}{" "}
        <span className="quiet">
          {count(machines.length, "machine")}: {[...standings].map(([s, list]) => `${list.length} ${s}`).join(", ")}
        </span>
      </h2>
      <table>
        <thead>
          <tr>
            <th className="col-name">machine</th>
            <th className="col-standing">standing</th>
            <th>volumes</th>
            <th className="number col-free">free on system volume</th>
            <th className="col-attention">attention</th>
          </tr>
        </thead>
        <tbody>
          {machines.map((m) => (
            <MachineRow key={m.id} machine={m} shelves={ofMachine.get(m.id) ?? []} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function MachineRow({ machine, shelves }: { machine: MachineSummary; shelves: Shelf[] }) {
  const largest = Math.max(...shelves.map((s) => s.sizeBytes), 1);
  const system = machine.system;
  return (
    <tr>
      <th scope="row">
        <Link to={`/machines/${machine.name}`}>{machine.name}</Link>
      </th>
      <td>
        <StandingMark standing={machine.standing} />
      </td>
      <td className="shelves">
        {shelves.map((s) => (
          <ShelfDrawing
            key={s.root}
            shelf={s}
            length={Math.max(60, (1000 * Math.sqrt(s.sizeBytes)) / Math.sqrt(largest))}
          />
        ))}
      </td>
      <td className="number">
        {system &&
          system.sizeBytes > 0 &&
          `${size(system.freeBytes)} (${((100 * system.freeBytes) / system.sizeBytes).toFixed(0)} %)`}
      </td>
      <td className="attention" title={machine.attention ?? undefined}>
        {machine.attention?.replaceAll("`", "")}
      </td>
    </tr>
  );
}
