import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { Link } from "react-router";
import { api, type OriginalView } from "../api/client";
import { Columns, HIDDEN } from "../parts/Columns";
import { Sentence } from "../parts/FailureNote";
import { Fetched } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { useMay } from "../parts/Me";
import { useResult } from "../parts/Result";
import { Time } from "../parts/Time";
import { count, ownerWords, shorten, size, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

type GroupName = keyof typeof words.originalGroups;

/** What may be done with an original. */
const groupOf = (o: OriginalView): GroupName => (o.blockers.length > 0 ? "blocked" : o.eligible ? "go" : "kept");

const sum = (list: OriginalView[]) => list.reduce((bytes, o) => bytes + o.dataBytes, 0);

/** What holdings left at their former places, by what may be done with it. */
export function OriginalsPage() {
  const originals = useQuery({ queryKey: ["originals"], queryFn: api.originals });
  return <Fetched query={originals}>{(all) => <Originals all={all} />}</Fetched>;
}

function Originals({ all }: { all: OriginalView[] }) {
  const filter = useFilter();
  const shown = all.filter((o) =>
    fits(`${o.id} ${o.machine} ${o.room} ${o.account} ${o.holding} ${words.runNumber(o.run)}`, filter),
  );
  const groups = Map.groupBy(shown, groupOf);
  return (
    <>
      <FilterHeading title={words.originals} label={words.filterOriginals} hint={words.filterOriginalsHint} />
      <p className="quiet">{words.originalsHow}</p>
      {all.length === 0 && <p>{words.noOriginals}</p>}
      {shown.length > 0 && (
        <p>
          {words.originalsSum(
            count(shown.length, "original"),
            size(sum(shown)),
            groups.has("go") ? size(sum(groups.get("go") ?? [])) : words.none,
          )}
        </p>
      )}
      {all.length > 0 && shown.length === 0 && <p>{words.noOriginalFits}</p>}
      {(["go", "blocked", "kept"] as const).map((name) => {
        const list = groups.get(name);
        return list && <Group key={name} name={name} list={list} />;
      })}
    </>
  );
}

function Group({ name, list }: { name: GroupName; list: OriginalView[] }) {
  const may = useMay("technician");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [asking, setAsking] = useState(false);
  // What is gone meanwhile is chosen no longer.
  const these = list.filter((o) => chosen.has(o.id));
  const set = (ids: string[], on: boolean) =>
    setChosen((before) => (on ? new Set([...before, ...ids]) : new Set([...before].filter((id) => !ids.includes(id)))));
  const what = count(these.length, "original");
  const verb = { go: words.discard, kept: words.discardEarlier, blocked: words.discardAllTheSame }[name];
  return (
    <section aria-label={words.originalGroups[name]}>
      <h2>
        {words.originalGroups[name]}{" "}
        <span className="quiet">{`${count(list.length, "original")} · ${size(sum(list))}`}</span>
      </h2>
      <p className="quiet">{words.originalGroupsMean[name]}</p>
      {may && (
        <p className="actions">
          <label>
            <input
              type="checkbox"
              checked={these.length === list.length}
              onChange={(event) =>
                set(
                  list.map((o) => o.id),
                  event.target.checked,
                )
              }
            />{" "}
            {words.chooseAll(words.originalGroups[name].toLowerCase())}
          </label>
          <button type="button" disabled={these.length === 0} onClick={() => setAsking(true)}>
            {these.length > 0 ? `${verb(what)} ${size(sum(these))}` : words.chooseFirst}
          </button>
        </p>
      )}
      <table>
        <Columns
          of={[
            ...(may ? [[HIDDEN, words.columns.actions] as [string, string]] : []),
            ["col-name", words.columns.machine],
            words.columns.room,
            words.columns.holding,
            ["number", words.columns.data],
            words.columns.formerPlace,
            words.columns.setAside,
            words.columns.keptUntil,
            ...(name === "blocked" ? [["col-attention", words.columns.speaksAgainst] as [string, string]] : []),
          ]}
        />
        <tbody>
          {list.slice(0, MOST).map((o) => (
            <tr key={o.id}>
              {may && (
                <td>
                  <input
                    type="checkbox"
                    aria-label={words.choose(words.on(words.of(o.holding, ownerWords(o.account)), o.machine))}
                    checked={chosen.has(o.id)}
                    onChange={(event) => set([o.id], event.target.checked)}
                  />
                </td>
              )}
              <th scope="row">
                <Link to={`/machines/${o.machine}`}>{o.machine}</Link>
              </th>
              <td>{o.room}</td>
              <td>
                {words.of(o.holding, ownerWords(o.account))} <span className="quiet">{o.id}</span>
              </td>
              <td className="number">{size(o.dataBytes)}</td>
              <td className="path" title={o.place}>
                <code>{shorten(o.place, 30)}</code>
              </td>
              <td>
                <Time at={o.setAside} />
              </td>
              <td>
                <Time at={o.keptUntil} />
              </td>
              {name === "blocked" && (
                <td>
                  {o.blockers.map((b) => (
                    <p key={b.code}>
                      <Sentence text={b.text} />
                    </p>
                  ))}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {list.length > MOST && <p className="quiet">{words.moreByFilter(count(list.length - MOST, "original"))}</p>}
      {asking && <Asking list={these} withReason={name !== "go"} onEnd={() => setAsking(false)} />}
    </section>
  );
}

/** Says what will be gone and asks once more; a decision that goes further than the rules needs a reason. */
function Asking({ list, withReason, onEnd }: { list: OriginalView[]; withReason: boolean; onEnd: () => void }) {
  const queries = useQueryClient();
  const say = useResult();
  const [reason, setReason] = useState("");
  const [done, setDone] = useState(0);
  // The list changes while they go.
  const [these] = useState(list);
  const dialog = useRef<HTMLDialogElement>(null);
  const field = useId();
  useEffect(() => dialog.current?.showModal(), []);
  const what = count(these.length, "original");
  const discard = useMutation({
    mutationFn: async () => {
      const refusals: string[] = [];
      for (const o of these) {
        try {
          await api.discard(o.id, {
            beforeItsTime: !o.eligible,
            acknowledge: o.blockers.map((b) => b.code),
            reason: withReason ? reason : null,
          });
        } catch (error) {
          refusals.push(`${o.id}: ${(error as Error).message}`);
        }
        setDone((n) => n + 1);
      }
      return refusals;
    },
    onSuccess: (refusals) => {
      const asked = these.length - refusals.length;
      say(
        [
          asked > 0 && words.discardAsked(count(asked, "original")),
          refusals[0] && words.discardNot(count(refusals.length, "original"), refusals[0]),
        ]
          .filter(Boolean)
          .join(" "),
      );
      onEnd();
    },
    onSettled: () => queries.invalidateQueries(),
  });
  return (
    <dialog ref={dialog} aria-label={words.discardTitle(what, size(sum(these)))} onClose={onEnd}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          discard.mutate();
        }}
      >
        <h2>{words.discardTitle(what, size(sum(these)))}</h2>
        <p>{words.discardMeans}</p>
        {withReason && (
          <p className="accept">
            <label htmlFor={field}>{words.discardWhy}</label>
            <input
              id={field}
              value={reason}
              maxLength={1000}
              required
              onChange={(event) => setReason(event.target.value)}
            />
          </p>
        )}
        {discard.isPending && <p role="status">{words.discarding(done, these.length)}</p>}
        <p className="actions">
          <button type="button" disabled={discard.isPending} onClick={() => dialog.current?.close()}>
            {words.keep}
          </button>
          <button type="submit" disabled={discard.isPending || (withReason && reason.trim() === "")}>
            {words.discardDo(what)}
          </button>
        </p>
      </form>
    </dialog>
  );
}
