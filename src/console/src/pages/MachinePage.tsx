import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useId, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type HoldingView, type MachineDetail, type RelocationView } from "../api/client";
import { Columns, HIDDEN } from "../parts/Columns";
import { ErrandCard, isToDo } from "../parts/ErrandCard";
import { FailureNote, Sentence } from "../parts/FailureNote";
import { NotYet, Wrong } from "../parts/Fetched";
import { Only, useMay } from "../parts/Me";
import { Phrase } from "../parts/Phrase";
import { useResult } from "../parts/Result";
import { ShelfDrawing, ShelfLegend } from "../parts/ShelfDrawing";
import { StandingMark } from "../parts/StandingMark";
import { Time } from "../parts/Time";
import { count, ownerWords, shorten, size, words } from "../words";

/** How the service says of a machine that it is held. */
const HELD = "Held by";

export function MachinePage() {
  const { name = "" } = useParams();
  const machine = useQuery({ queryKey: ["machine", name], queryFn: () => api.machine(name) });
  if (!machine.data) return <NotYet query={machine} />;
  return <Machine detail={machine.data} />;
}

function Machine({ detail }: { detail: MachineDetail }) {
  const { machine } = detail;
  const say = useResult();
  const survey = useMutation({
    mutationFn: () => api.survey(machine.name),
    onSuccess: () => say(words.nowDone.asked(words.survey(machine.name))),
  });
  const originals = detail.shelves.flatMap((s) => s.blocks).filter((b) => b.style === "original");
  const originalBytes = originals.reduce((sum, b) => sum + b.dataBytes, 0);
  const largest = Math.max(...detail.shelves.map((s) => s.sizeBytes), 1);
  const holdings = detail.holdings.toSorted((a, b) => rank(a) - rank(b) || b.dataBytes - a.dataBytes);
  return (
    <>
      <div className="heading">
        <h1>{machine.name}</h1>
        <p>
          <StandingMark standing={machine.standing} />{" "}
          <span className="quiet">
            <Phrase
              text={words.machineKnown}
              room={machine.room}
              system={machine.operatingSystem}
              surveyed={<Time at={machine.surveyedAt} />}
              heard={<Time at={machine.lastSeen} />}
              history={
                <Link to={`/history?filter=${encodeURIComponent(machine.name)}`}>{words.history.toLowerCase()}</Link>
              }
            />
          </span>
        </p>
        <Only least="technician">
          <button type="button" onClick={() => survey.mutate()} disabled={survey.isPending}>
            {words.survey(machine.name)}
          </button>
        </Only>
        <Wrong error={survey.error} />
      </div>

      <h2>
        {words.volumes}{" "}
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
            <span className="quiet">{words.volumeIs(s)}</span>
          </Fragment>
        ))}
      </div>

      {originalBytes > 0 && (
        <p>
          <Link to={`/originals?filter=${encodeURIComponent(machine.name)}`}>
            {words.freeByDiscarding(size(originalBytes))}
          </Link>
        </p>
      )}
      {machine.standing === "stuck" &&
        machine.attention &&
        !holdings.some((h) => h.relocation?.failure?.text === machine.attention) && (
          <p className="wrong">
            <Sentence text={machine.attention} />
          </p>
        )}
      {detail.drills.map((d) => (
        <p key={d.number}>
          {words.drill(d)} <Time at={d.endedAt ?? d.askedAt} />
        </p>
      ))}
      <Hold name={machine.name} heldBy={machine.heldBy} attention={machine.attention} />
      <Errands machine={machine.name} />

      {detail.findings.length > 0 && (
        <>
          <h2>{words.findings}</h2>
          {detail.findings.map((f) => (
            <p key={f.code + f.text}>
              <strong>{f.severity}</strong> <Sentence text={`${f.text} ${f.remedy}`} />
            </p>
          ))}
        </>
      )}

      <h2>
        {words.holdings} <span className="quiet">{count(holdings.length, "holding")}</span>
      </h2>
      <table>
        <Columns
          of={[
            words.columns.account,
            words.columns.holding,
            ["number", words.columns.data],
            ["number", words.columns.files],
            words.columns.source,
            words.columns.target,
            words.columns.dataLivesAt,
            words.columns.state,
            [HIDDEN, words.columns.actions],
          ]}
        />
        <tbody>
          {holdings.map((h) => (
            <Holding key={`${h.account}/${h.holding}`} holding={h} />
          ))}
        </tbody>
      </table>
      {detail.notes.length > 0 && (
        <details>
          <summary>{words.ofTheSurvey(count(detail.notes.length, "note"))}</summary>
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
  const may = useMay("technician");
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
        <strong>{attention?.startsWith(HELD) ? attention : words.heldBy(heldBy)}</strong> {words.heldMeans}
        {may && (
          <button type="button" disabled={hold.isPending} onClick={() => hold.mutate(null)}>
            {words.release(name)}
          </button>
        )}
      </p>
    );
  if (!may) return null;
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
          {words.hold(name)}
        </button>
        <Wrong error={hold.error} />
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
          {r ? <span title={words.asOf(r.asOf)}>{r.live}</span> : words.atSource}
          {!holding.present && (holding.toBeMade ? words.toBeMade : words.missing)}
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
  const share = p && r.state !== "waiting" && p.bytesTotal > 0 ? Math.min(1, p.bytesDone / p.bytesTotal) : undefined;
  return (
    <>
      {r.state}
      {isMoving(r) && r.step && `, ${r.step}`}
      {share !== undefined && (
        <>
          {" "}
          <progress value={share} aria-label={words.stepOf(r.step ?? "", r.holding)} />{" "}
          {r.step !== "catch-up" && words.rate(p?.bytesPerSecond ?? 0)}
        </>
      )}
      {r.hasOriginal && <span className="quiet">{words.originalKept}</span>}
    </>
  );
}

function Action({ relocation: r, movesData }: { relocation: RelocationView; movesData: boolean }) {
  const say = useResult();
  const may = useMay("technician");
  const retry = useMutation({
    mutationFn: () => api.retry(r.number),
    onSuccess: () => say(words.nowDone.asked(words.retry(r.holding))),
  });
  const takeBack = useMutation({
    mutationFn: () => api.takeBack(r.number),
    onSuccess: () => say(words.nowDone.asked(words.takeBack(r.holding))),
  });
  const failed = retry.error ?? takeBack.error;
  if (!may) return null;
  return (
    <>
      {["failed", "backed-out", "skipped"].includes(r.state) && r.live === "source" && (
        <button type="button" disabled={retry.isPending} onClick={() => retry.mutate()}>
          {words.retry(r.holding)}
        </button>
      )}
      {(r.state === "switched" || r.state === "finished") && (
        <button
          type="button"
          disabled={takeBack.isPending}
          onClick={() => confirm(words.takeBackSure(r, movesData)) && takeBack.mutate()}
        >
          {words.takeBack(r.holding)}
        </button>
      )}
      <Wrong error={failed} />
    </>
  );
}

function Settings({ relocation: r }: { relocation: RelocationView }) {
  return (
    <tr className="note">
      <td />
      <td colSpan={8}>
        <details>
          <summary>{words.settingsOf(r.number, count(r.pointers.length, "setting"))}</summary>
          <table>
            <Columns of={[words.columns.setting, words.columns.before, words.columns.after]} />
            <tbody>
              {r.pointers.map((p) => (
                <tr key={p.address.container + p.address.key}>
                  <td>{words.within(p.address.key, p.address.container)}</td>
                  <td>
                    <code>{p.before.text ?? words.nothing}</code>
                  </td>
                  <td>
                    <code>{p.after.text ?? words.nothing}</code>
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
