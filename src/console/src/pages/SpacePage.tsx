import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { count, daysLeft, percent, rangeOfDays, size, sizeSigned, spaceSentence, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

/** All volumes, those that fill up first, first. */
export function SpacePage() {
  const volumes = useQuery({ queryKey: ["machines", "space"], queryFn: api.space });
  const filter = useFilter();
  if (!volumes.data) return <NotYet query={volumes} />;
  const shown = volumes.data.filter((v) =>
    fits(`${v.machine} ${v.room} ${v.root} ${v.system ? words.system : ""}`, filter),
  );
  const first = shown.find((v) => v.daysLeft !== null && v.daysLeft > 0);
  const below = shown.filter((v) => v.sizeBytes > 0 && v.freeBytes <= v.reserveBytes).length;
  return (
    <>
      <FilterHeading title={words.space} label={words.filterVolumes} hint={words.filterVolumesHint} />
      <p>
        {below > 0 && `${words.reservesReached(count(below, "volume"), below)} `}
        {first && words.nextOn(first.machine, spaceSentence(first))}
      </p>
      <table>
        <Columns
          of={[
            ["col-name", words.columns.machine],
            words.columns.room,
            words.columns.volume,
            ["number", words.columns.size],
            ["number", words.columns.free],
            ["number", words.columns.reserve],
            ["number", words.columns.growsADay],
            ["number", words.columns.daysLeft],
            ["number", words.columns.p90Between],
          ]}
        />
        <tbody>
          {shown.slice(0, MOST).map((v) => (
            <tr key={v.machine + v.root}>
              <th scope="row">
                <Link to={`/machines/${v.machine}/space`}>{v.machine}</Link>
              </th>
              <td>{v.room}</td>
              <td>
                <code>{v.root}</code> {v.system && <span className="quiet">{words.system}</span>}
              </td>
              <td className="number">{size(v.sizeBytes)}</td>
              <td className="number">{`${size(v.freeBytes)} (${percent(v.freeBytes, v.sizeBytes)})`}</td>
              <td className="number">{v.reserveBytes > 0 ? size(v.reserveBytes) : words.none}</td>
              <td className="number">{v.growth && sizeSigned(v.growth.bytesPerDay)}</td>
              <td className="number">
                <strong>{daysLeft(v)}</strong>
              </td>
              <td className="number">{rangeOfDays(v)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {shown.length === 0 && <p>{words.noVolumeFits}</p>}
      {shown.length > MOST && <p className="quiet">{words.moreByFilter(count(shown.length - MOST, "volume"))}</p>}
    </>
  );
}
