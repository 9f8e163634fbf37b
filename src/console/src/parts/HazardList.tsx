import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Consent, type Hazard } from "../api/client";
import { count, words } from "../words";
import { Sentence } from "./FailureNote";
import { Wrong } from "./Fetched";
import { useMay } from "./Me";
import { Phrase } from "./Phrase";
import { useResult } from "./Result";
import { Time } from "./Time";

const order: Record<Hazard["severity"], number> = { blocking: 0, consent: 1, advice: 2 };

/** So many sentences of one hazard are shown before someone asks for the others. */
const FEW = 3;

interface Props {
  plan: number;
  hazards: Hazard[];
  consents: Consent[];
  /** Only one machine's are shown: they are accepted for the whole plan, and so not here. */
  ofMachine?: boolean;
}

/** The hazards of a plan, grouped by what there is to do. */
export function HazardList({ plan, hazards, consents, ofMachine = false }: Props) {
  if (hazards.length === 0) return null;
  const groups = [...Map.groupBy(hazards, (h) => `${h.severity} ${h.code}`).values()].toSorted(
    (a, b) => rank(a) - rank(b) || b.length - a.length,
  );
  return (
    <>
      <h2>{words.hazards}</h2>
      {groups.map((group) => (
        <HazardGroup key={key(group)} plan={plan} group={group} consents={consents} ofMachine={ofMachine} />
      ))}
    </>
  );
}

const rank = (group: Hazard[]) => (group[0] ? order[group[0].severity] : 0);
const key = (group: Hazard[]) => `${group[0]?.severity} ${group[0]?.code}`;

function HazardGroup({ plan, group, consents, ofMachine }: Omit<Required<Props>, "hazards"> & { group: Hazard[] }) {
  const [first] = group;
  if (!first) return null;
  const accepted = consents.filter((c) => c.hazard === first.code);
  const machines = new Set(group.map((h) => h.machine)).size;
  const holdings = group.filter((h) => h.holding !== null).length;
  const sentences = [...Map.groupBy(group, (h) => h.text)].map(([text, same]) => ({ text, same: same.length }));
  return (
    <section
      className={`hazard ${first.severity}`}
      id={first.severity === "consent" ? first.code : undefined}
      aria-label={first.code}
    >
      <h3>
        {first.code}{" "}
        <span className="severity">
          {first.severity === "consent" && accepted.length > 0 ? words.accepted : words.severity[first.severity]}
        </span>{" "}
        <span className="quiet">
          {count(machines, "machine")}
          {holdings > 0 && `, ${count(holdings, "holding")}`}
        </span>
      </h3>
      <Sentences list={sentences.slice(0, FEW)} />
      {sentences.length > FEW && (
        <details>
          <summary>{words.andMore(sentences.length - FEW)}</summary>
          <Sentences list={sentences.slice(FEW)} />
        </details>
      )}
      <p>
        <Sentence text={first.remedy} />
      </p>
      {accepted.map((c) => (
        <p key={c.at}>
          <Phrase text={words.acceptedBy} who={c.by} when={<Time at={c.at} />} reason={c.reason} />
        </p>
      ))}
      {first.severity === "consent" && accepted.length === 0 && ofMachine && (
        <p>
          <a href={`/plans/${plan}#${first.code}`}>{words.acceptForPlan}</a>
        </p>
      )}
      {first.severity === "consent" && accepted.length === 0 && !ofMachine && (
        <ConsentForm plan={plan} hazard={first.code} machines={machines} />
      )}
    </section>
  );
}

function Sentences({ list }: { list: { text: string; same: number }[] }) {
  return (
    <ul>
      {list.map(({ text, same }) => (
        <li key={text}>
          <Sentence text={text} />
          {same > 1 && <span className="quiet">{` (${count(same, "holding")})`}</span>}
        </li>
      ))}
    </ul>
  );
}

function ConsentForm({ plan, hazard, machines }: { plan: number; hazard: string; machines: number }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const field = useId();
  const say = useResult();
  const may = useMay("technician");
  const consent = useMutation({
    mutationFn: () => api.consent(plan, { hazard, reason }),
    onSuccess: () => {
      say(words.nowDone.accepted(hazard));
      queries.invalidateQueries();
    },
  });
  if (!may) return null;
  return (
    <form
      className="accept"
      onSubmit={(e) => {
        e.preventDefault();
        consent.mutate();
      }}
    >
      <label htmlFor={field}>{words.whyAcceptable}</label>
      <input id={field} value={reason} maxLength={1000} required onChange={(e) => setReason(e.target.value)} />
      <button type="submit" disabled={consent.isPending || reason.trim() === ""}>
        {words.accept(hazard, count(machines, "machine"))}
      </button>
      <Wrong error={consent.error} />
    </form>
  );
}
