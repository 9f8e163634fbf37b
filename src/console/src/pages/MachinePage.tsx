import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useId, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type HoldingView, type MachineDetail, type RelocationView } from "../api/client";
import { ErrandCard, isToDo } from "../parts/ErrandCard";
import { FailureNote, Sentence } from "../parts/FailureNote";
import { ShelfDrawing, ShelfLegend } from "../parts/ShelfDrawing";
import { StandingMark } from "../parts/StandingMark";
import { ago, count, ownerWords, shorten, size, words } from "../words";

export function MachinePage() {
  const { name = "" } = useParams();
  const machine = useQuery({ queryKey: ["machine", name], queryFn: () => api.machine(name) });
  if (machine.error) return <p>{machine.error.message}</p>;
  if (!machine.data) return <p className="quiet">{words.loading}</p>;
  return <Machine detail={machine.data} />;
}

function Machine({ detail }: { detail: MachineDetail }) {
  const { machine } = detail;
  const survey = useMutation({ mutationFn: () => api.survey(machine.name) });
  const largest = Math.max(...detail.shelves.map((s) => s.sizeBytes), 1);
  const holdings = detail.holdings.toSorted((a, b) => rank(a) - rank(b) || b.dataBytes - a.dataBytes);
  return (
    <>
      <div className="heading">
        <h1>{machine.name}</h1>
        <p>
          <StandingMark standing={machine.standing} />{" "}
          <span className="quiet">
            {machine.room} · {machine.operatingSystem} ·{" "}
            <span title={machine.surveyedAt ?? ""}>surveyed {ago(machine.surveyedAt)}</span> ·{" "}
            <span title={machine.lastSeen ?? ""}>heard of {ago(machine.lastSeen)}</span> ·{" "}
            <Link to={`/history?filter=${encodeURIComponent(machine.name)}`}>{words.history.toLowerCase()}</Link>
          </span>
        </p>
        <button type="button" onClick={() => survey.mutate()} disabled={survey.isPending}>
          Survey {machine.name}
        </button>
      </div>

      <h2>
        Volumes{" "}
        <span className="quiet">
          <Link to={`/machines/${machine.name}/space`}>{words.whatTakesSpace}</Link>
        </span>
      </h2>
      <ShelfLegend />
      <div className="volumes">
        {detail.shelves.map((s) => (
          <Fragment key={s.root}>
            <code>{s.root}</code>
            <ShelfDrawing shelf={s} length={Math.max(120, (1000 * Math.sqrt(s.sizeBytes)) / Math.sqrt(largest))} />
            <span className="quiet">
              {size(s.freeBytes)} of {size(s.sizeBytes)} free · {s.system ? "system, " : ""}
              {s.attached}, {s.medium}, {s.fileSystem}
            </span>
          </Fragment>
        ))}
      </div>

      <Hold name={machine.name} heldBy={machine.heldBy} attention={machine.attention} />
      <Errands machine={machine.name} />

      {detail.findings.length > 0 && (
        <>
          <h2>Findings</h2>
          {detail.findings.map((f) => (
            <p key={f.code + f.text}>
              <strong>{f.severity}</strong> <Sentence text={`${f.text} ${f.remedy}`} />
            </p>
          ))}
        </>
      )}

      <h2>
        Holdings <span className="quiet">{count(holdings.length, "holding")}</span>
      </h2>
      <table>
        <thead>
          <tr>
            <th>account</th>
            <th>holding</th>
            <th className="number">data</th>
            <th className="number">files</th>
            <th>source</th>
            <th>target</th>
            <th>data lives at</th>
            <th>state</th>
            <th>
              <span className="hidden">actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {holdings.map((h) => (
            <Holding key={`${h.account}/${h.holding}`} holding={h} />
          ))}
        </tbody>
      </table>
      {detail.notes.length > 0 && (
        <details>
          <summary>{count(detail.notes.length, "note")} of the survey</summary>
          <ul>
            {detail.notes.map((n) => (
              <li key={n}>
                <Sentence text={n} />
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

/** Nothing is begun on a held machine. */
function Hold({ name, heldBy, attention }: { name: string; heldBy: string | null; attention: string | null }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const field = useId();
  const hold = useMutation({
    mutationFn: (why: string | null) => api.hold(name, why),
    onSettled: () => queries.invalidateQueries(),
  });
  if (heldBy)
    return (
      <p className="actions">
        <strong>{attention?.startsWith("Held by") ? attention : `Held by ${heldBy}.`}</strong> {words.heldMeans}
        <button type="button" disabled={hold.isPending} onClick={() => hold.mutate(null)}>
          Release {name}
        </button>
      </p>
    );
  return (
    <details>
      <summary>{words.holdMachine}</summary>
      <form
        className="accept"
        onSubmit={(event) => {
          event.preventDefault();
          hold.mutate(reason);
        }}
      >
        <label htmlFor={field}>{words.holdWhy}</label>
        <input
          id={field}
          value={reason}
          maxLength={1000}
          required
          onChange={(event) => setReason(event.target.value)}
        />
        <button type="submit" disabled={hold.isPending || reason.trim() === ""}>
          Hold {name}
        </button>
        {hold.error && (
          <p className="wrong" role="alert">
            {hold.error.message}
          </p>
        )}
      </form>
    </details>
  );
}

/** What waits for a person on this machine. */
function Errands({ machine }: { machine: string }) {
  const errands = useQuery({ queryKey: ["errands"], queryFn: () => api.errands(true) });
  const own = (errands.data ?? []).filter((e) => e.machine === machine && isToDo(e));
  if (own.length === 0) return null;
  return (
    <>
      <h2>{words.errands}</h2>
      {own.map((e) => (
        <ErrandCard key={e.number} errand={e} />
      ))}
    </>
  );
}

/** What failed or moves first, then what is done, then the rest. */
function rank(holding: HoldingView): number {
  const r = holding.relocation;
  if (!r) return 3;
  if (r.failure) return 0;
  return isMoving(r) ? 1 : 2;
}

const isMoving = (r: RelocationView) =>
  ["queued", "under-way", "waiting", "backing-out", "returning", "discarding", "gathering"].includes(r.state);

function Holding({ holding }: { holding: HoldingView }) {
  const r = holding.relocation;
  const movesData = holding.kind !== "install-path";
  return (
    <>
      <tr>
        <td>{ownerWords(holding.account)}</td>
        <th scope="row">{holding.holding}</th>
        <td className="number" title={`${holding.dataBytes.toLocaleString("en")} bytes`}>
          {movesData && size(holding.dataBytes)}
        </td>
        <td className="number">{movesData && holding.files.toLocaleString("en")}</td>
        <Path path={r?.source ?? holding.place ?? ""} live={!r || r.live === "source"} />
        <Path path={r?.target ?? ""} live={r?.live === "target"} />
        <td>
          {r ? <span title={`as of ${r.asOf}`}>{r.live}</span> : "source"}
          {!holding.present && " (missing)"}
        </td>
        <td>{r ? <State relocation={r} /> : holding.immovable && `${words.stays}: ${holding.immovable}`}</td>
        <td>{r && <Action relocation={r} movesData={movesData} />}</td>
      </tr>
      {r?.failure && (
        <tr className="note">
          <td />
          <td colSpan={8}>
            <FailureNote failure={r.failure} />
          </td>
        </tr>
      )}
      {r && r.pointers.length > 0 && <Settings relocation={r} />}
    </>
  );
}

function Path({ path, live }: { path: string; live: boolean }) {
  return (
    <td className={live ? "path live" : "path"} title={path}>
      <code>{shorten(path, 30)}</code>
    </td>
  );
}

function State({ relocation: r }: { relocation: RelocationView }) {
  const p = r.progress;
  const share = p && p.bytesTotal > 0 ? Math.min(1, p.bytesDone / p.bytesTotal) : undefined;
  return (
    <>
      {r.state}
      {isMoving(r) && r.step && `, ${r.step}`}
      {share !== undefined && (
        <>
          {" "}
          <progress value={share} aria-label={`${r.step} of ${r.holding}`} /> {size(p?.bytesPerSecond ?? 0)}/s
        </>
      )}
      {r.hasOriginal && <span className="quiet"> · original kept</span>}
    </>
  );
}

function Action({ relocation: r, movesData }: { relocation: RelocationView; movesData: boolean }) {
  const retry = useMutation({ mutationFn: () => api.retry(r.number) });
  const takeBack = useMutation({ mutationFn: () => api.takeBack(r.number) });
  const failed = retry.error ?? takeBack.error;
  return (
    <>
      {(r.state === "failed" || r.state === "backed-out") && r.live === "source" && (
        <button type="button" disabled={retry.isPending} onClick={() => retry.mutate()}>
          Retry {r.holding}
        </button>
      )}
      {(r.state === "switched" || r.state === "finished") && (
        <button
          type="button"
          disabled={takeBack.isPending}
          onClick={() =>
            confirm(
              `Return ${r.holding} of ${ownerWords(r.account)} to ${r.source}?\n\n${
                movesData
                  ? `What lives at ${r.target} is copied back, with what was added since; the account is kept out meanwhile.`
                  : `The settings lead there again; what is installed at ${r.target} stays.`
              }`,
            ) && takeBack.mutate()
          }
        >
          Return {r.holding}
        </button>
      )}
      {failed && (
        <p className="wrong" role="alert">
          {failed.message}
        </p>
      )}
    </>
  );
}

function Settings({ relocation: r }: { relocation: RelocationView }) {
  return (
    <tr className="note">
      <td />
      <td colSpan={8}>
        <details>
          <summary>
            relocation {r.number} · {count(r.pointers.length, "setting")} before and after
          </summary>
          <table>
            <thead>
              <tr>
                <th>setting</th>
                <th>before</th>
                <th>after</th>
              </tr>
            </thead>
            <tbody>
              {r.pointers.map((p) => (
                <tr key={p.address.container + p.address.key}>
                  <td>
                    {p.address.key} in {p.address.container}
                  </td>
                  <td>
                    <code>{p.before.text ?? "(nothing)"}</code>
                  </td>
                  <td>
                    <code>{p.after.text ?? "(nothing)"}</code>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {r.notes.map((n) => (
            <p key={n} className="quiet">
              <Sentence text={n} />
            </p>
          ))}
        </details>
      </td>
    </tr>
  );
}
