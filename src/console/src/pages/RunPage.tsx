import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type FailureGroup, type RelocationView, type RunView } from "../api/client";
import { Sentence } from "../parts/FailureNote";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { ago, count, hoursWords, length, ownerWords, size, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

export function RunPage() {
  const number = Number(useParams().number);
  const run = useQuery({ queryKey: ["run", number], queryFn: () => api.run(number) });
  const rows = useQuery({ queryKey: ["run", number, "relocations"], queryFn: () => api.relocations(number) });
  if (run.error) return <p>{run.error.message}</p>;
  if (!run.data || !rows.data) return <p className="quiet">{words.loading}</p>;
  return <Run run={run.data} rows={rows.data} />;
}

const atRest = new Set(["switched", "finished", "backed-out", "returned", "failed", "refused", "skipped"]);
const isDone = (r: RelocationView) => r.state === "switched" || r.state === "finished";

function Run({ run, rows }: { run: RunView; rows: RelocationView[] }) {
  const filter = useFilter();
  const moving = rows.filter((r) => r.progress && !atRest.has(r.state));
  const shown = rows.filter((r) => fits(`${r.machine} ${r.room} ${r.state} ${r.step ?? ""} ${r.wave}`, filter));
  const machines = [...Map.groupBy(shown, (r) => r.machine)].toSorted(([, a], [, b]) => rank(a) - rank(b));
  return (
    <>
      <FilterHeading title={`Run ${run.number}: ${run.title}`} label={words.filter} hint={words.filterRunHint} />
      <p className="quiet">
        <Link to={`/plans/${run.plan}`}>plan {run.plan}</Link> · started{" "}
        <span title={run.startedAt}>{ago(run.startedAt)}</span> by {run.startedBy}
        {run.approvedBy && ` · approved by ${run.approvedBy}`} ·{" "}
        <a href={`/api/v1/reports/runs/${run.number}/page`}>{words.report}</a>
        {run.endedAt && (
          <>
            {" "}
            · ended <span title={run.endedAt}>{ago(run.endedAt)}</span>
          </>
        )}
      </p>
      <p>{whereItStands(run, rows)}</p>
      <Steering run={run} />
      <Failures run={run} groups={run.failures} />
      {run.waits.length > 0 && <h2>Waiting</h2>}
      {run.waits.map((g) => (
        <Group key={g.code} group={g} severity="consent" />
      ))}
      {moving.length > 0 && <Moving rows={moving} />}

      <h2>
        Machines <span className="quiet">{count(machines.length, "machine")}</span>
      </h2>
      <table>
        <thead>
          <tr>
            <th className="col-name">machine</th>
            <th>room</th>
            <th>wave</th>
            <th className="number">done</th>
            <th className="number">data at the target</th>
            <th>now</th>
          </tr>
        </thead>
        <tbody>
          {machines.slice(0, MOST).map(([name, list]) => (
            <MachineRow key={name} name={name} rows={list} />
          ))}
        </tbody>
      </table>
      {machines.length > MOST && (
        <p className="quiet">and {count(machines.length - MOST, "machine")} more: use the filter.</p>
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
      <td className="number">
        {rows.filter(isDone).length} of {rows.length}
      </td>
      <td className="number">{size(data)}</td>
      <td>{states.map(([state, list]) => `${list.length} ${state}`).join(", ")}</td>
    </tr>
  );
}

const now = (r: RelocationView) => (r.state === "under-way" && r.step ? `in ${r.step}` : r.state);

function whereItStands(run: RunView, rows: RelocationView[]): string {
  const counts = Object.entries(run.counts)
    .toSorted(([a], [b]) => a.localeCompare(b))
    .map(([state, n]) => `${n} ${state}`)
    .join(", ");
  const open = rows.filter((r) => !atRest.has(r.state));
  const seconds = Math.max(0, ...open.map((r) => r.progress?.secondsLeft ?? 0));
  const left = seconds > 0 ? ` The longest step under way takes about ${length(seconds)} more.` : "";
  const hours = !run.hours
    ? ""
    : run.hoursOpen
      ? ` Its allowed hours are open: ${hoursWords(run.hours)}.`
      : ` It waits for its allowed hours: ${hoursWords(run.hours)}.`;
  const person = run.waitsForPerson ? " Nothing goes on until somebody does something." : "";
  return `${words.runStands[run.state]} ${count(rows.length, "relocation")} on ${count(run.machines, "machine")}: ${counts}; ${size(run.doneBytes)} of ${size(run.dataBytes)} live at the target.${left}${hours}${person}`;
}

function Moving({ rows }: { rows: RelocationView[] }) {
  const most = 12;
  return (
    <>
      <h2>
        Under way <span className="quiet">{count(rows.length, "relocation")}</span>
      </h2>
      <table>
        <thead>
          <tr>
            <th className="col-name">machine</th>
            <th>holding</th>
            <th className="col-standing">step</th>
            <th>how far</th>
            <th className="number">data</th>
            <th className="number">rate</th>
            <th className="number">left</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, most).map((r) => (
            <tr key={r.number}>
              <th scope="row">
                <Link to={`/machines/${r.machine}`}>{r.machine}</Link>
              </th>
              <td>
                {r.holding} of {ownerWords(r.account)}
              </td>
              <td>{r.progress?.step}</td>
              <td>
                <progress
                  aria-label={`${r.holding} of ${ownerWords(r.account)} on ${r.machine}`}
                  value={r.progress?.bytesDone}
                  max={Math.max(1, r.progress?.bytesTotal ?? 1)}
                />
              </td>
              <td className="number">
                {size(r.progress?.bytesDone ?? 0)} of {size(r.progress?.bytesTotal ?? 0)}
              </td>
              <td className="number">{size(r.progress?.bytesPerSecond ?? 0)}/s</td>
              <td className="number">{r.progress?.secondsLeft != null && length(r.progress.secondsLeft)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > most && <p className="quiet">and {rows.length - most} more</p>}
    </>
  );
}

/** What can be asked of the run as a whole. What cannot be undone says what it will do, and is asked for twice. */
function Steering({ run }: { run: RunView }) {
  const queries = useQueryClient();
  const steer = useMutation({
    mutationFn: (verb: "approve" | "pause" | "resume" | "halt") => api.steer(run.number, verb),
    onSettled: () => queries.invalidateQueries(),
  });
  const halt = () => {
    if (window.confirm(words.haltSure(run.number))) steer.mutate("halt");
  };
  const open = run.state === "running" || run.state === "paused" || run.state === "proposed";
  if (!open) return null;
  return (
    <p className="actions">
      {run.state === "proposed" && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("approve")}>
          Approve run {run.number}
        </button>
      )}
      {run.state === "running" && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("pause")}>
          Pause run {run.number}
        </button>
      )}
      {run.state === "paused" && (
        <button type="button" disabled={steer.isPending} onClick={() => steer.mutate("resume")}>
          Resume run {run.number}
        </button>
      )}
      <button type="button" disabled={steer.isPending} onClick={halt}>
        Halt run {run.number}
      </button>
      {steer.error && (
        <span className="wrong" role="alert">
          {steer.error.message}
        </span>
      )}
    </p>
  );
}

function Failures({ run, groups }: { run: RunView; groups: FailureGroup[] }) {
  const failed = groups.filter((g) => g.code !== "skipped");
  const skipped = groups.filter((g) => g.code === "skipped");
  return (
    <>
      {failed.length > 0 && <h2>Failures, by cause</h2>}
      {failed.map((g) => (
        <Group key={g.code} group={g} severity="blocking">
          <FailureForm run={run.number} group={g} />
        </Group>
      ))}
      {skipped.map((g) => (
        <p key={g.code} className="quiet">
          {count(g.relocations.length, "relocation")} on {g.machines.join(", ")}{" "}
          {g.relocations.length === 1 ? "was" : "were"} skipped.
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
          {count(g.relocations.length, "relocation")} on {count(g.machines.length, "machine")}
        </span>
      </h3>
      <p>
        {g.machines.slice(0, most).map((m, i) => (
          <span key={m}>
            {i > 0 && ", "}
            <Link to={`/machines/${m}`}>{m}</Link>
          </span>
        ))}
        {g.machines.length > most && ` and ${g.machines.length - most} more`}
      </p>
      <p>
        <Sentence text={g.example} />
      </p>
      {children}
    </section>
  );
}

/** One action for all failures of one cause. */
function FailureForm({ run, group: g }: { run: number; group: FailureGroup }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const field = useId();
  const done = { onSettled: () => queries.invalidateQueries() };
  const retry = useMutation({ mutationFn: () => api.retryFailed(run, g.code), ...done });
  const skip = useMutation({ mutationFn: () => api.skipFailed(run, g.code, reason), ...done });
  const wrong = retry.error?.message ?? skip.error?.message ?? (retry.data ?? skip.data)?.refusals[0];
  const busy = retry.isPending || skip.isPending;
  const these = count(g.relocations.length, "relocation");
  return (
    <form
      className="accept"
      onSubmit={(event) => {
        event.preventDefault();
        skip.mutate();
      }}
    >
      <button type="button" disabled={busy} onClick={() => retry.mutate()}>
        Try {these} again
      </button>
      <label htmlFor={field}>or say why not:</label>
      <input id={field} value={reason} maxLength={1000} required onChange={(event) => setReason(event.target.value)} />
      <button type="submit" disabled={busy || reason.trim() === ""}>
        Skip {these}
      </button>
      {wrong && (
        <p className="wrong" role="alert">
          {wrong}
        </p>
      )}
    </form>
  );
}
