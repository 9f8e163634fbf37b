import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { Time } from "../parts/Time";
import { size, words } from "../words";

/** All runs, the latest first. */
export function RunsPage() {
  const runs = useQuery({ queryKey: ["runs"], queryFn: api.runs });
  const filter = useFilter();
  if (!runs.data) return <NotYet query={runs} />;
  if (runs.data.length === 0)
    return (
      <p>
        {words.noRuns} <Link to="/plans">{words.noRunsHow}</Link>
      </p>
    );
  const shown = runs.data.filter((r) => fits(`${r.number} ${r.title} ${r.startedBy} ${r.state}`, filter));
  return (
    <>
      <FilterHeading title={words.runs} label={words.filterRuns} hint={words.filterRunsHint} />
      <table>
        <Columns
          of={[
            ["col-number", words.columns.run],
            words.columns.title,
            words.columns.state,
            words.columns.started,
            words.columns.by,
            ["number", words.columns.machines],
            ["number", words.columns.relocations],
            ["number", words.columns.atTheTarget],
            words.columns.whatBecameOfThem,
          ]}
        />
        <tbody>
          {shown.map((r) => (
            <tr key={r.number}>
              <th scope="row">{r.number}</th>
              <td>
                <Link to={`/runs/${r.number}`}>{r.title}</Link>
              </td>
              <td>{words.runState[r.state]}</td>
              <td>
                <Time at={r.startedAt} />
              </td>
              <td>{r.startedBy}</td>
              <td className="number">{r.machines}</td>
              <td className="number">{r.relocations}</td>
              <td className="number">{words.part(size(r.doneBytes), size(r.dataBytes))}</td>
              <td>
                {Object.entries(r.counts)
                  .toSorted(([a], [b]) => a.localeCompare(b))
                  .map(([state, n]) => `${n} ${state}`)
                  .join(", ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {shown.length === 0 && <p>{words.noRunFits}</p>}
    </>
  );
}
