import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, useFilter } from "../parts/FilterHeading";
import { Time } from "../parts/Time";
import { words } from "../words";

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
          ]}
        />
        <tbody>
          {entries.map((e) => (
            <tr key={e.number}>
              <td>
                <Time at={e.at} />
              </td>
              <td>{e.by}</td>
              <th scope="row">{e.action}</th>
              <td>
                <Subject text={e.subject} />
              </td>
              <td>{e.from}</td>
              <td>{e.to}</td>
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

/** What an entry is about, with the way to its page where it has one. */
function Subject({ text }: { text: string }) {
  const [, page, number] = /^(run|plan|audit) (\d+)$/.exec(text) ?? [];
  if (page) return <Link to={`/${page}s/${number}`}>{text}</Link>;
  if (text.startsWith("errand ")) return <Link to="/errands">{text}</Link>;
  return text;
}
