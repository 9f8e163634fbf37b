import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Finding } from "../api/client";
import { Columns } from "../parts/Columns";
import { Sentence } from "../parts/FailureNote";
import { NotYet, Wrong } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { Only } from "../parts/Me";
import { Phrase } from "../parts/Phrase";
import { Time } from "../parts/Time";
import { atTime, count, words } from "../words";

/** All audits, the latest first. */
export function AuditsPage() {
  const audits = useQuery({ queryKey: ["audits"], queryFn: api.audits });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: api.makeAudit,
    onSuccess: (made) => {
      queries.invalidateQueries();
      navigate(`/audits/${made.number}`);
    },
  });
  if (!audits.data) return <NotYet query={audits} />;
  return (
    <>
      <div className="heading">
        <h1>{words.audits}</h1>
        <Only least="technician">
          <button type="button" disabled={make.isPending} onClick={() => make.mutate()}>
            {make.isPending ? words.auditing : words.makeAudit}
          </button>
        </Only>
      </div>
      <p className="quiet">{words.auditHow}</p>
      <Wrong error={make.error} />
      {audits.data.length > 0 && (
        <table>
          <Columns
            of={[
              ["col-number", words.columns.audit],
              words.columns.made,
              words.columns.by,
              ["number", words.columns.findings],
              ["number", words.columns.ofThemThatBlock],
            ]}
          />
          <tbody>
            {audits.data.map((a) => (
              <tr key={a.number}>
                <th scope="row">
                  <Link to={`/audits/${a.number}`}>{a.number}</Link>
                </th>
                <td>
                  <Time at={a.madeAt} />
                </td>
                <td>{a.madeBy}</td>
                <td className="number">{a.findings}</td>
                <td className="number">{a.blocking}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

export function AuditPage() {
  const number = Number(useParams().number);
  const audit = useQuery({ queryKey: ["audit", number], queryFn: () => api.audit(number) });
  const filter = useFilter();
  if (!audit.data) return <NotYet query={audit} />;
  const { findings, machines, madeAt, madeBy, basis } = audit.data;
  const shown = findings.filter((f) =>
    fits(`${f.machine} ${f.code} ${f.severity} ${f.account ?? ""} ${f.text}`, filter),
  );
  const groups = [...Map.groupBy(shown, (f) => f.code)];
  return (
    <>
      <FilterHeading title={words.auditTitle(number)} label={words.filterFindings} hint={words.filterFindingsHint} />
      <p className="quiet">
        <Phrase
          text={words.auditMade}
          machines={count(machines, "machine")}
          when={<Time at={madeAt} />}
          who={madeBy}
          report={<a href={`/api/v1/reports/audits/${number}/page`}>{words.report}</a>}
        />
      </p>
      {basis?.oldest && (
        <p>{words.basis(basis.surveyed, count(basis.machines, "machine"), basis.silent, atTime(basis.oldest))}</p>
      )}
      {findings.length === 0 && <p>{words.noFindings}</p>}
      {findings.length > 0 && shown.length === 0 && <p>{words.noFindingFits}</p>}
      {groups.map(([code, group]) => (
        <FindingGroup key={code} code={code} group={group} />
      ))}
    </>
  );
}

/** So many findings of one kind are shown before someone asks for the others. */
const FEW = 5;

function FindingGroup({ code, group }: { code: string; group: Finding[] }) {
  const remedies = new Set(group.map((f) => f.remedy));
  const machines = new Set(group.map((f) => f.machine)).size;
  return (
    <section className={`hazard ${group[0]?.severity}`} aria-label={code}>
      <h2>
        {code} <span className="severity">{group[0] && words.findingSeverity[group[0].severity]}</span>{" "}
        <span className="quiet">{words.on(count(group.length, "finding"), count(machines, "machine"))}</span>
      </h2>
      <FindingList list={group.slice(0, FEW)} each={remedies.size > 1} />
      {group.length > FEW && (
        <details>
          <summary>{words.andMore(group.length - FEW)}</summary>
          <FindingList list={group.slice(FEW)} each={remedies.size > 1} />
        </details>
      )}
      {remedies.size === 1 && (
        <p>
          <Sentence text={group[0]?.remedy ?? ""} />
        </p>
      )}
    </section>
  );
}

/** Findings; with their own remedies where these differ. */
function FindingList({ list, each }: { list: Finding[]; each: boolean }) {
  return (
    <ul>
      {list.map((f) => (
        <li key={`${f.machine} ${f.text}`}>
          <Phrase
            text="{machine}: {what}"
            machine={<Link to={`/machines/${f.machine}`}>{f.machine}</Link>}
            what={<Sentence text={each ? `${f.text} ${f.remedy}` : f.text} />}
          />
        </li>
      ))}
    </ul>
  );
}
