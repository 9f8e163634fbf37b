import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import { FilterHeading, fits, useFilter } from "../parts/FilterHeading";
import { count, daysLeft, rangeOfDays, size, sizeSigned, spaceSentence, words } from "../words";

/** More rows than this nobody reads; the filter finds the others. */
const MOST = 200;

/** All volumes, those that fill up first, first. */
export function SpacePage() {
  const volumes = useQuery({ queryKey: ["machines", "space"], queryFn: api.space });
  const filter = useFilter();
  if (!volumes.data) return <p className="quiet">{words.loading}</p>;
  const shown = volumes.data.filter((v) =>
    fits(`${v.machine} ${v.room} ${v.root} ${v.system ? "system" : ""}`, filter),
  );
  const first = shown.find((v) => v.daysLeft !== null && v.daysLeft > 0);
  const below = shown.filter((v) => v.sizeBytes > 0 && v.freeBytes <= v.reserveBytes).length;
  return (
    <>
      <FilterHeading title={words.space} label={words.filterVolumes} hint={words.filterVolumesHint} />
      <p>
        {below > 0 && `${count(below, "volume")} ${below === 1 ? "has" : "have"} reached the reserve. `}
        {first && `The next is on ${first.machine}: ${spaceSentence(first)}`}
      </p>
      <table>
        <thead>
          <tr>
            <th className="col-name">machine</th>
            <th>room</th>
            <th>volume</th>
            <th className="number">size</th>
            <th className="number">free</th>
            <th className="number">reserve</th>
            <th className="number">grows a day</th>
            <th className="number">days left</th>
            <th className="number">90 % between</th>
          </tr>
        </thead>
        <tbody>
          {shown.slice(0, MOST).map((v) => (
            <tr key={v.machine + v.root}>
              <th scope="row">
                <Link to={`/machines/${v.machine}/space`}>{v.machine}</Link>
              </th>
              <td>{v.room}</td>
              <td>
                <code>{v.root}</code> {v.system && <span className="quiet">system</span>}
              </td>
              <td className="number">{size(v.sizeBytes)}</td>
              <td className="number">
                {size(v.freeBytes)} ({((100 * v.freeBytes) / Math.max(1, v.sizeBytes)).toFixed(0)} %)
              </td>
              <td className="number">{v.reserveBytes > 0 ? size(v.reserveBytes) : "none"}</td>
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
      {shown.length > MOST && <p className="quiet">and {count(shown.length - MOST, "volume")} more: use the filter.</p>}
    </>
  );
}
