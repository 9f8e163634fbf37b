import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type HistorySubject } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, useFilter } from "../parts/FilterHeading";
import { Time } from "../parts/Time";
import { inWords, subjectInWords, words } from "../words";

const PAGE = 500;

/** Who did what, the latest first. */
export function HistoryPage() {
  const filter = useFilter();
  const history = useInfiniteQuery({
    queryKey: ["history", filter],
    queryFn: ({ pageParam }) => api.history(pageParam, filter),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => (last.length === PAGE ? last.at(-1)?.number : undefined),
    placeholderData: (before) => before,
  });
  if (!history.data) return <NotYet query={history} />;
  const entries = history.data.pages.flat();
  return (
    <>
      <FilterHeading title={words.history} label={words.filterHistory} hint={words.filterHistoryHint} />
      <table>
        <Columns
          of={[
            ["col-standing", words.columns.when],
            words.columns.who,
            words.columns.what,
            words.columns.of,
            words.columns.from,
            words.columns.to,
            words.columns.detail,
          ]}
        />
        <tbody>
          {entries.map((e) => (
            <tr key={e.number}>
              <td>
                <Time at={e.at} />
              </td>
              <td>{e.by}</td>
              <th scope="row">{inWords(e.event)}</th>
              <td>
                <Subject of={e.subject} />
              </td>
              <td>{e.from}</td>
              <td>{e.to}</td>
              <td>{e.detail}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {entries.length === 0 && <p>{words.noHistoryFits}</p>}
      {history.hasNextPage && (
        <button type="button" disabled={history.isFetchingNextPage} onClick={() => history.fetchNextPage()}>
          {words.earlier}
        </button>
      )}
    </>
  );
}

const PAGES: Partial<Record<HistorySubject["kind"], string>> = {
  plan: "plans",
  run: "runs",
  audit: "audits",
  machine: "machines",
};

/** What an entry is about, with the way to its page where it has one. */
function Subject({ of }: { of: HistorySubject }) {
  const text = subjectInWords(of);
  if (of.kind === "errand") return <Link to="/errands">{text}</Link>;
  const page = PAGES[of.kind];
  return page ? <Link to={`/${page}/${of.number ?? encodeURIComponent(of.name)}`}>{text}</Link> : text;
}
