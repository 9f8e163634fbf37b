import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { ErrandCard, isToDo } from "../parts/ErrandCard";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { Time } from "../parts/Time";
import { count, words } from "../words";

/** What waits for a person, the most urgent first; at the end what is over. */
export function ErrandsPage() {
  const errands = useQuery({ queryKey: ["errands"], queryFn: () => api.errands(true) });
  const filter = useFilter();
  if (!errands.data) return <NotYet query={errands} />;
  const shown = errands.data.filter((e) =>
    fits(`${e.machine} ${e.room} ${e.account ?? ""} ${words.errandKind[e.kind]} ${e.claimedBy ?? ""}`, filter),
  );
  const toDo = shown.filter(isToDo);
  const over = shown.filter((e) => !isToDo(e)).toSorted((a, b) => (b.endedAt ?? "").localeCompare(a.endedAt ?? ""));
  return (
    <>
      <FilterHeading title={words.errands} label={words.filterErrands} hint={words.filterErrandsHint} />
      {toDo.length === 0 && <p>{errands.data.some(isToDo) ? words.noErrandFits : words.noErrands}</p>}
      {toDo.map((e) => (
        <ErrandCard key={e.number} errand={e} />
      ))}
      {over.length > 0 && (
        <details>
          <summary>{words.errandsOver(count(over.length, "errand"))}</summary>
          <ul>
            {over.map((e) => (
              <li key={e.number}>
                {words.errandEnded(e)}{" "}
                <span className="quiet">
                  <Time at={e.endedAt} />
                </span>
                {e.remark && `: ${e.remark}`}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}
