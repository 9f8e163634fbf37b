import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type FailureGroup, type RelocationView, type RunView } from "../api/client";
import { Columns } from "../parts/Columns";
import { Sentence } from "../parts/FailureNote";
import { Fetched, Wrong } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { Only, useMay } from "../parts/Me";
import { Phrase } from "../parts/Phrase";
import { useResult } from "../parts/Result";
import { Time } from "../parts/Time";
import { atTime, count, hoursWords, length, ownerWords, size, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

export function RunPage() {
  const number = Number(useParams().number);
  const run = useQuery({ queryKey: ["run", number], queryFn: () => api.run(number) });
  const rows = useQuery({ queryKey: ["run", number, "relocations"], queryFn: () => api.relocations(number) });
  return (
    <Fetched query={run}>
      {(known) => <Fetched query={rows}>{(list) => <Run run={known} rows={list} />}</Fetched>}
    </Fetched>
  );
}

const atRest = new Set(["switched", "finished", "backed-out", "returned", "failed", "refused", "skipped"]);
/** How long a step takes yet; nothing while too little of it is done to say, and of what mostly looks. */
function secondsLeft(r: RelocationView): number | undefined {
  const p = r.progress;
  if (!p || r.step === "catch-up" || p.bytesDone * 100 < p.bytesTotal) return undefined;
  return p.secondsLeft ?? undefined;
}

const isDone = (r: RelocationView) => r.state === "switched" || r.state === "finished";

function Run({ run, rows }: { run: RunView; rows: RelocationView[] }) {
  const filter = useFilter();
  // The run may have been looked at after its relocations.
  const blocked = new Set(run.blocked.flatMap((g) => g.relocations));
  const moving = run.endedAt ? [] : rows.filter((r) => r.progress && !atRest.has(r.state) && r.state !== "waiting");
  const shown = rows.filter(
    (r) => !blocked.has(r.number) && fits(`${r.machine} ${r.room} ${r.state} ${r.step ?? ""} ${r.wave}`, filter),
  );
  const machines = [...Map.groupBy(shown, (r) => r.machine)].toSorted(([, a], [, b]) => rank(a) - rank(b));
  return (
    <>
      <FilterHeading
        title={words.titled(words.runTitle(run.number), run.title)}
        label={words.filter}
        hint={words.filterRunHint}
      />
      <p className="quiet">
        <Phrase
          text={words.runKnown}
          plan={<Link to={`/plans/${run.plan}`}>{words.planNumber(run.plan)}</Link>}
          when={<Time at={run.startedAt} />}
          who={run.startedBy}
          approved={run.approvedBy && words.approvedBy(run.approvedBy)}
          report={<a href={`/api/v1/reports/runs/${run.number}/page`}>{words.report}</a>}
        />
        {run.endedAt && <Phrase text={words.runEnded} when={<Time at={run.endedAt} />} />}
      </p>
      <p>{whereItStands(run, rows)}</p>
      {run.heldUp && run.heldUp.relocations.length > 0 && <GoOnWithout numbers={run.heldUp.relocations} />}
      {run.originals.count > 0 && (
        <p>
          <Link to={`/originals?filter=${encodeURIComponent(words.runNumber(run.number))}`}>
            {words.freeWhenDiscarded(
              size(run.originals.bytes),
              count(run.originals.count, "original"),
              run.originals.firstDue ? words.firstOn(atTime(run.originals.firstDue)) : "",
            )}
          </Link>
        </p>
      )}
      <Steering run={run} />
      <Failures run={run} groups={run.failures} />
      {run.waits.length > 0 && <h2>{words.waiting}</h2>}
      {run.waits.map((g) => (
        <Group key={g.code} group={g} severity="consent" />
      ))}
      {moving.length > 0 && <Moving rows={moving} />}

      <h2>
        {words.machines} <span className="quiet">{count(machines.length, "machine")}</span>
      </h2>
      <table>
        <Columns
          of={[
            ["col-name", words.columns.machine],
            words.columns.room,
            words.columns.wave,
            ["number", words.columns.done],
            ["number", words.columns.dataAtTheTarget],
            words.columns.now,
          ]}
        />
        <tbody>
          {machines.slice(0, MOST).map(([name, list]) => (
            <MachineRow key={name} name={name} rows={list} />
          ))}
        </tbody>
      </table>
      {machines.length > MOST && (
        <p className="quiet">{words.moreByFilter(count(machines.length - MOST, "machine"))}</p>
      )}
      {blocked.size > 0 && (
        <details>
          <summary>{words.blockedByPlan(count(blocked.size, "relocation"))}</summary>
          <p className="quiet">{words.blockedByPlanMeans}</p>
          {run.blocked.map((g) => (
            <Group key={g.code} group={g} severity="blocking">
              <Only least="technician">
                <FailureForm run={run} group={g} canRetry={false} />
              </Only>
            </Group>
          ))}
        </details>
      )}
    </>
  );
}

/** What failed first, then what moves, then what is to come, then what is done. */
function rank(rows: RelocationView[]): number {
  if (rows.some((r) => r.state === "failed" || r.state === "refused")) return 0;
  if (rows.some((r) => r.state === "waiting")) return 1;
  if (rows.some((r) => !atRest.has(r.state) && r.state !== "planned")) return 2;
  return rows.every((r) => atRest.has(r.state)) ? 4 : 3;
}

function MachineRow({ name, rows }: { name: string; rows: RelocationView[] }) {
  const [first] = rows;
  const data = rows.filter(isDone).reduce((sum, r) => sum + r.dataBytes, 0);
  const states = [
    ...Map.groupBy(
      rows.filter((r) => !isDone(r)),
      (r) => now(r),
    ),
  ];
  return (
    <tr>
      <th scope="row">
        <Link to={`/machines/${name}`}>{name}</Link>
      </th>
      <td>{first?.room}</td>
      <td>{first?.wave}</td>
      <td className="number">{words.part(`${rows.filter(isDone).length}`, `${rows.length}`)}</td>
      <td className="number">{size(data)}</td>
      <td>{states.map(([state, list]) => `${list.length} ${state}`).join(", ")}</td>
    </tr>
  );
}

const now = (r: RelocationView) => (r.state === "under-way" && r.step ? words.inStep(r.step) : r.state);

function whereItStands(run: RunView, rows: RelocationView[]): string {
  const counts = Object.entries(run.counts)
    .toSorted(([a], [b]) => a.localeCompare(b))
    .map(([state, n]) => `${n} ${state}`)
    .join(", ");
  const open = run.endedAt || run.heldUp ? [] : rows.filter((r) => !atRest.has(r.state) && r.state !== "waiting");
  const seconds = Math.max(0, ...open.map((r) => secondsLeft(r) ?? 0));
  return [
    run.heldUp ? words.heldUp(run.heldUp.text) : words.runStands[run.state],
    words.runCounts(
      words.on(count(run.relocations, "relocation"), count(run.machines, "machine")),
      counts,
      words.part(size(run.doneBytes), size(run.dataBytes)),
    ),
    seconds > 0 && words.longestLeft(length(seconds)),
    run.hours && words.runHours(run.hoursOpen, hoursWords(run.hours)),
    run.waitsForPerson && !run.heldUp && words.waitsForPerson,
  ]
    .filter(Boolean)
    .join(" ");
}

function Moving({ rows }: { rows: RelocationView[] }) {
  const most = 12;
  return (
    <>
      <h2>
        {words.underWay} <span className="quiet">{count(rows.length, "relocation")}</span>
      </h2>
      <table>
        <Columns
          of={[
            ["col-name", words.columns.machine],
            words.columns.holding,
            ["col-standing", words.columns.step],
            words.columns.howFar,
            ["number", words.columns.data],
            ["number", words.columns.rate],
            ["number", words.columns.left],
          ]}
        />
        <tbody>
          {rows.slice(0, most).map((r) => (
            <tr key={r.number}>
              <th scope="row">
                <Link to={`/machines/${r.machine}`}>{r.machine}</Link>
              </th>
              <td>{words.of(r.holding, ownerWords(r.account))}</td>
              <td>{r.progress?.step}</td>
              <td>
                <progress
                  aria-label={words.on(words.of(r.holding, ownerWords(r.account)), r.machine)}
                  value={r.progress?.bytesDone}
                  max={Math.max(1, r.progress?.bytesTotal ?? 1)}
                />
              </td>
              <td className="number">
                {words.part(size(r.progress?.bytesDone ?? 0), size(r.progress?.bytesTotal ?? 0))}
              </td>
              {/* Most of a catch-up is looking, not copying: a rate would say that it stands still. */}
              <td className="number">{r.step !== "catch-up" && words.rate(r.progress?.bytesPerSecond ?? 0)}</td>
              <td className="number">{secondsLeft(r) !== undefined && length(secondsLeft(r) ?? 0)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > most && <p className="quiet">{words.andMore(rows.length - most)}</p>}
    </>
  );
}

/** What can be asked of the run as a whole. What cannot be undone says what it will do, and is asked for twice. */
function Steering({ run }: { run: RunView }) {
  const queries = useQueryClient();
  const say = useResult();
  const [maySteer, mayApprove] = [useMay("technician"), useMay("approver")];
  const steer = useMutation({
    mutationFn: (verb: "approve" | "pause" | "resume" | "halt") => api.steer(run, verb),
    onSuccess: (now) => say(words.nowDone.steered(now.number, words.runState[now.state])),
    onSettled: () => queries.invalidateQueries(),
  });
  const halt = () => {
    if (window.confirm(words.haltSure(run.number))) steer.mutate("halt");
  };
  const open = run.state === "running" || run.state === "paused" || run.state === "proposed";
  if (!open || !(maySteer || mayApprove)) return null;
  return (
    <p className="actions">
      {run.state === "proposed" && mayApprove && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("approve")}>
          {words.approve(run.number)}
        </button>
      )}
      {run.state === "running" && maySteer && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("pause")}>
          {words.pause(run.number)}
        </button>
      )}
      {run.state === "paused" && maySteer && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("resume")}>
          {words.resume(run.number)}
        </button>
      )}
      {maySteer && (
        <button type="button" disabled={steer.isPending} onClick={halt}>
          {words.halt(run.number)}
        </button>
      )}
      <Wrong error={steer.error} />
    </p>
  );
}

/** What no machine has begun, and what the run waits for. */
function GoOnWithout({ numbers }: { numbers: number[] }) {
  const queries = useQueryClient();
  const say = useResult();
  const may = useMay("technician");
  const [reason, setReason] = useState("");
  const field = useId();
  const these = count(numbers.length, "relocation");
  const skip = useMutation({
    mutationFn: async () => {
      for (const number of numbers) await api.skip(number, reason);
    },
    onSuccess: () => say(words.nowDone.skipped(these)),
    onSettled: () => queries.invalidateQueries(),
  });
  if (!may) return null;
  return (
    <form
      className="accept"
      onSubmit={(event) => {
        event.preventDefault();
        skip.mutate();
      }}
    >
      <label htmlFor={field}>{words.goOnWhy}</label>
      <input id={field} value={reason} maxLength={1000} required onChange={(event) => setReason(event.target.value)} />
      <button type="submit" disabled={skip.isPending || reason.trim() === ""}>
        {words.goOnWithout(these)}
      </button>
      <Wrong error={skip.error} />
    </form>
  );
}

function Failures({ run, groups }: { run: RunView; groups: FailureGroup[] }) {
  const failed = groups.filter((g) => g.code !== "skipped");
  const skipped = groups.filter((g) => g.code === "skipped");
  return (
    <>
      {failed.length > 0 && <h2>{words.failuresByCause}</h2>}
      {failed.map((g) => (
        <Group key={g.code} group={g} severity="blocking">
          <Only least="technician">
            <FailureForm run={run} group={g} />
          </Only>
        </Group>
      ))}
      {skipped.map((g) => (
        <p key={g.code} className="quiet">
          {words.skipped(
            words.on(count(g.relocations.length, "relocation"), g.machines.join(", ")),
            g.relocations.length,
          )}
        </p>
      ))}
    </>
  );
}

function Group({
  group: g,
  severity,
  children,
}: {
  group: FailureGroup;
  severity: string;
  children?: React.ReactNode;
}) {
  const most = 12;
  return (
    <section className={`hazard ${severity}`} aria-label={g.code}>
      <h3>
        {g.code}{" "}
        <span className="quiet">
          {words.on(count(g.relocations.length, "relocation"), count(g.machines.length, "machine"))}
        </span>
      </h3>
      <p>
        {g.machines.slice(0, most).map((m, i) => (
          <span key={m}>
            {i > 0 && ", "}
            <Link to={`/machines/${m}`}>{m}</Link>
          </span>
        ))}
        {g.machines.length > most && ` ${words.andMore(g.machines.length - most)}`}
      </p>
      <p>
        <Sentence text={g.example} />
      </p>
      {children}
    </section>
  );
}

/** One action for all failures of one cause. */
function FailureForm({ run, group: g, canRetry = true }: { run: RunView; group: FailureGroup; canRetry?: boolean }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const field = useId();
  const say = useResult();
  const these = count(g.relocations.length, "relocation");
  const done = (what: string) => ({ onSuccess: () => say(what), onSettled: () => queries.invalidateQueries() });
  const retry = useMutation({
    mutationFn: () => api.retryFailed(run, g.code),
    ...done(words.nowDone.retried(these)),
  });
  const skip = useMutation({
    mutationFn: () => api.skipFailed(run, g.code, reason),
    ...done(words.nowDone.skipped(these)),
  });
  const refused = (retry.data ?? skip.data)?.refusals[0];
  const busy = retry.isPending || skip.isPending;
  return (
    <form
      className="accept"
      onSubmit={(event) => {
        event.preventDefault();
        skip.mutate();
      }}
    >
      {canRetry && (
        <button type="button" disabled={busy} onClick={() => retry.mutate()}>
          {words.tryAgain(these)}
        </button>
      )}
      <label htmlFor={field}>{canRetry ? words.orSayWhyNot : words.sayWhyNot}</label>
      <input id={field} value={reason} maxLength={1000} required onChange={(event) => setReason(event.target.value)} />
      <button type="submit" disabled={busy || reason.trim() === ""}>
        {words.skip(these)}
      </button>
      <Wrong error={retry.error ?? skip.error} />
      {refused && (
        <p className="wrong" role="alert">
          {refused}
        </p>
      )}
    </form>
  );
}
