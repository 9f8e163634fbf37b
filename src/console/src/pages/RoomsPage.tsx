import { useQuery } from "@tanstack/react-query";
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { memo, useDeferredValue, useMemo, useRef, useState } from "react";
import { Link } from "react-router";
import { api, type MachineSummary, type Shelf, type Standing } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { useInviting } from "../parts/Inviting";
import { Only, useMay } from "../parts/Me";
import { ShelfDrawing, ShelfLegend } from "../parts/ShelfDrawing";
import { StandingMark } from "../parts/StandingMark";
import { count, percent, size, words } from "../words";
import { FirstSteps } from "./FirstSteps";

const urgency: Record<Standing, number> = {
  stuck: 0,
  drifted: 1,
  waiting: 2,
  silent: 3,
  "under-way": 4,
  ready: 5,
  settled: 6,
};

const byName = new Intl.Collator().compare;

/** As many machines of a room as are drawn, or left out while they are out of sight, together. */
const TOGETHER = 5;

/** So few stretches are all drawn, so that the browser's own search finds every machine of them. */
const FEW = 60;

/** What is assumed of a stretch that has not been in sight yet, in pixels. */
const HEADING_PX = 75;
const ROW_PX = 37;

const NO_SHELVES: Shelf[] = [];

/** A room's machines, or some of them in a large room. */
interface Stretch {
  room: string;
  from: number;
  machines: MachineSummary[];
  all: MachineSummary[];
}

export function RoomsPage() {
  const machines = useQuery({ queryKey: ["machines"], queryFn: api.machines });
  const filter = useDeferredValue(useFilter());
  const sorted = useMemo(
    () => (machines.data ?? []).toSorted((a, b) => urgency[a.standing] - urgency[b.standing] || byName(a.name, b.name)),
    [machines.data],
  );
  const stretches = useMemo(() => {
    const shown = sorted.filter((m) => fits(`${m.name} ${m.room} ${m.standing}`, filter));
    return [...Map.groupBy(shown, (m) => m.room)].flatMap(([room, all]) => stretchesOf(room, all));
  }, [sorted, filter]);

  const inviting = useInviting();
  const [closed, setClosed] = useState(false);
  const mayInvite = useMay("technician");

  if (!machines.data) return <NotYet query={machines} />;
  const none = machines.data.length === 0;
  if (none && !mayInvite) return <p>{words.noMachines}</p>;
  const invited = inviting.data?.machines ?? 0;
  const first = (none || (invited > machines.data.length && !closed)) && (
    <FirstSteps inviting={inviting} arrived={machines.data.length} close={() => setClosed(true)} />
  );
  if (none) return first;
  return (
    <>
      {first}
      <FilterHeading title={words.rooms} label={words.filter} hint={words.filterHint} />
      <ShelfLegend />
      <Only least="technician">
        <p>
          <Link to="/invite">{words.inviteMachines}</Link>
        </p>
      </Only>
      {stretches.length === 0 && <p>{words.nothingFits}</p>}
      <Stretches stretches={stretches} />
    </>
  );
}

function stretchesOf(room: string, all: MachineSummary[]): Stretch[] {
  const starts = Array.from({ length: Math.ceil(all.length / TOGETHER) }, (_, i) => i * TOGETHER);
  return starts.map((from) => ({ room, from, machines: all.slice(from, from + TOGETHER), all }));
}

/** All stretches one below the other; those far out of sight are blank space. */
function Stretches({ stretches }: { stretches: Stretch[] }) {
  const list = useRef<HTMLDivElement>(null);
  const above = list.current?.offsetTop ?? 0;
  const drawn = useWindowVirtualizer({
    count: stretches.length,
    estimateSize: (i) => {
      const stretch = stretches[i] as Stretch;
      return (stretch.from === 0 ? HEADING_PX : 0) + stretch.machines.length * ROW_PX;
    },
    getItemKey: (i) => `${stretches[i]?.room} ${stretches[i]?.from}`,
    overscan: stretches.length <= FEW ? FEW : 4,
    scrollMargin: above,
  });
  const items = drawn.getVirtualItems();
  const [first, last] = [items[0], items[items.length - 1]];
  return (
    <div
      ref={list}
      style={{
        paddingTop: first ? first.start - above : 0,
        paddingBottom: last ? drawn.getTotalSize() + above - last.end : 0,
      }}
    >
      {items.map((item) => (
        <div key={item.key} data-index={item.index} ref={drawn.measureElement} className="stretch">
          <Room stretch={stretches[item.index] as Stretch} />
        </div>
      ))}
    </div>
  );
}

const Room = memo(function Room({ stretch }: { stretch: Stretch }) {
  const { room, from, machines, all } = stretch;
  const standings = Map.groupBy(all, (m) => m.standing);
  // Fetched again when the service hints at a change, not by every stretch that comes into sight.
  const shelves = useQuery({
    queryKey: ["machines", "shelves", room],
    queryFn: () => api.shelves(room),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const ofMachine = useMemo(() => new Map(shelves.data?.map((s) => [s.machine, s.shelves])), [shelves.data]);
  return (
    <section aria-label={from === 0 ? room : undefined}>
      {from === 0 && (
        <h2>
          {room}{" "}
          <span className="quiet">
            {words.roomStands(
              count(all.length, "machine"),
              [...standings].map(([s, list]) => `${list.length} ${s}`),
            )}
          </span>
        </h2>
      )}
      <table aria-label={from === 0 ? undefined : words.roomFrom(room, machines[0]?.name ?? "")}>
        <Columns
          of={[
            ["col-name", words.columns.machine],
            ["col-standing", words.columns.standing],
            words.columns.volumes,
            ["number col-free", words.columns.freeOnSystemVolume],
            ["col-attention", words.columns.attention],
          ]}
          className={from === 0 ? undefined : "unseen"}
        />
        <tbody>
          {machines.map((m) => (
            <MachineRow key={m.id} machine={m} shelves={ofMachine.get(m.id) ?? NO_SHELVES} />
          ))}
        </tbody>
      </table>
    </section>
  );
});

const MachineRow = memo(function MachineRow({ machine, shelves }: { machine: MachineSummary; shelves: Shelf[] }) {
  const system = machine.system;
  // What flies past is not drawn: a row's shelves come after it, and not at all when it has gone by then.
  const drawn = useDeferredValue(shelves, NO_SHELVES);
  const largest = Math.max(...drawn.map((s) => s.sizeBytes), 1);
  return (
    <tr>
      <th scope="row">
        <Link to={`/machines/${machine.name}`}>{machine.name}</Link>
      </th>
      <td>
        <StandingMark standing={machine.standing} />
      </td>
      <td className="shelves">
        {drawn.map((s) => (
          <ShelfDrawing
            key={s.root}
            shelf={s}
            length={Math.max(60, (1000 * Math.sqrt(s.sizeBytes)) / Math.sqrt(largest))}
          />
        ))}
        {shelves.slice(drawn.length).map((s) => (
          <div key={s.root} className="shelf" />
        ))}
      </td>
      <td className="number">
        {system && system.sizeBytes > 0 && `${size(system.freeBytes)} (${percent(system.freeBytes, system.sizeBytes)})`}
      </td>
      <td className="attention" title={machine.attention ?? undefined}>
        {machine.attention?.replaceAll("`", "")}
      </td>
    </tr>
  );
});
