import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { Only } from "../parts/Me";
import { Time } from "../parts/Time";
import { size, words } from "../words";

/** All plans, the latest first. */
export function PlansPage() {
  const plans = useQuery({ queryKey: ["plans"], queryFn: api.plans });
  const filter = useFilter();
  if (!plans.data) return <NotYet query={plans} />;
  if (plans.data.length === 0)
    return (
      <p>
        {words.noPlans} <Link to="/brief">{words.noPlansHow}</Link>
      </p>
    );
  const shown = plans.data.filter((p) => fits(`${p.number} ${p.title} ${p.madeBy}`, filter));
  return (
    <>
      <FilterHeading title={words.plans} label={words.filterPlans} hint={words.filterPlansHint} />
      <Only least="technician">
        <p>
          <Link to="/brief">{words.newBrief}</Link>
        </p>
      </Only>
      <table>
        <Columns
          of={[
            ["col-number", words.columns.plan],
            words.columns.title,
            words.columns.made,
            words.columns.by,
            ["number", words.columns.machines],
            ["number", words.columns.relocations],
            ["number", words.columns.data],
            ["number", words.columns.blocked],
            ["number", words.columns.consentsWanted],
          ]}
        />
        <tbody>
          {shown.map((p) => (
            <tr key={p.number}>
              <th scope="row">{p.number}</th>
              <td>
                <Link to={`/plans/${p.number}`}>{p.title}</Link>
              </td>
              <td>
                <Time at={p.madeAt} />
              </td>
              <td>{p.madeBy}</td>
              <td className="number">{p.machines}</td>
              <td className="number">{p.relocations}</td>
              <td className="number">{size(p.dataBytes)}</td>
              <td className="number">{p.blocking}</td>
              <td className="number">{p.consentsWanted}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {shown.length === 0 && <p>{words.noPlanFits}</p>}
    </>
  );
}
