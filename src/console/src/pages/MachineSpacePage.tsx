import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, type MachineSpace, type VolumeSpace } from "../api/client";
import { Columns } from "../parts/Columns";
import { NotYet } from "../parts/Fetched";
import { GrowthChart } from "../parts/GrowthChart";
import { Phrase } from "../parts/Phrase";
import { ShelfLegend } from "../parts/ShelfDrawing";
import { Treemap } from "../parts/Treemap";
import { percent, size, spaceSentence, words } from "../words";

/** What takes the space of one machine, and how its volumes fill up. */
export function MachineSpacePage() {
  const { name = "" } = useParams();
  const space = useQuery({ queryKey: ["machine", name, "space"], queryFn: () => api.machineSpace(name) });
  if (!space.data) return <NotYet query={space} />;
  return (
    <>
      <div className="heading">
        <h1>{words.spaceOf(space.data.machine)}</h1>
        <p className="quiet">
          <Phrase
            text="{room} · {holdings} · {all}"
            room={space.data.room}
            holdings={<Link to={`/machines/${name}`}>{words.itsHoldings}</Link>}
            all={<Link to="/space">{words.allVolumes}</Link>}
          />
        </p>
      </div>
      <ShelfLegend />
      {space.data.volumes.length === 0 && <p>{words.notSurveyed}</p>}
      {space.data.volumes
        .toSorted((a, b) => Number(b.system) - Number(a.system))
        .map((v) => (
          <Volume key={v.root} volume={v} space={space.data} />
        ))}
    </>
  );
}

function Volume({ volume, space }: { volume: VolumeSpace; space: MachineSpace }) {
  const shares = space.shares.filter((s) => s.root === volume.root);
  const history = space.history.filter((h) => h.root === volume.root);
  return (
    <section aria-label={volume.root}>
      <h2>
        <code>{volume.root}</code> <span className="quiet">{volume.system ? words.systemVolume : volume.label}</span>
      </h2>
      <p>{spaceSentence(volume)}</p>
      <div className="space">
        <div>
          <GrowthChart volume={volume} history={history} />
          <Treemap volume={volume} shares={shares} />
        </div>
        <table>
          <Columns
            of={[
              words.columns.account,
              words.columns.what,
              ["number", words.columns.data],
              ["number", words.columns.ofVolume],
            ]}
          />
          <tbody>
            {shares.map((s) => (
              <tr key={`${s.account}/${s.name}/${s.style}`}>
                <td>{s.account}</td>
                <th scope="row">{s.style === "original" ? words.originalOf(s.name) : s.name}</th>
                <td className="number" title={`${s.dataBytes.toLocaleString("en")} bytes`}>
                  {size(s.dataBytes)}
                </td>
                <td className="number">{percent(s.dataBytes, volume.sizeBytes, 1)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
