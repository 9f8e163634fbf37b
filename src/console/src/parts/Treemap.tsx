import { hierarchy, treemap } from "d3-hierarchy";
import type { SpaceShare, VolumeSpace } from "../api/client";
import { size, words } from "../words";

const WIDTH = 640;
const HEIGHT = 260;

interface Node {
  label: string;
  style: string;
  bytes: number;
  children?: Node[];
}

/** What takes the space of a volume, by account and holding; areas are as large as the data. The table beside it says the same. */
export function Treemap({ volume, shares }: { volume: VolumeSpace; shares: SpaceShare[] }) {
  const accounts = [...Map.groupBy(shares, (s) => s.account ?? "")].map(([account, own]): Node => {
    const children = own.map((s) => ({
      label: s.style === "original" ? words.originalOf(s.name) : s.name,
      style: s.style,
      bytes: s.dataBytes,
    }));
    return { label: account, style: "account", bytes: 0, children };
  });
  const free = { label: words.free, style: "free", bytes: volume.freeBytes };
  const root = hierarchy<Node>({ label: volume.root, style: "volume", bytes: 0, children: [...accounts, free] })
    .sum((n) => n.bytes)
    .sort(
      (a, b) => Number(a.data.style === "free") - Number(b.data.style === "free") || (b.value ?? 0) - (a.value ?? 0),
    );
  const laid = treemap<Node>().size([WIDTH, HEIGHT]).paddingInner(2).paddingOuter(1).round(true)(root);
  return (
    <div className="treemap" role="img" aria-label={words.whatTakesSpaceOf(volume.root)}>
      {laid.leaves().map((leaf) => {
        const owner = leaf.parent?.data.style === "account" ? leaf.parent.data.label : "";
        const text = `${owner ? words.of(leaf.data.label, owner) : leaf.data.label}, ${size(leaf.data.bytes)}`;
        const box = {
          left: `${(100 * leaf.x0) / WIDTH}%`,
          top: `${(100 * leaf.y0) / HEIGHT}%`,
          width: `${(100 * (leaf.x1 - leaf.x0)) / WIDTH}%`,
          height: `${(100 * (leaf.y1 - leaf.y0)) / HEIGHT}%`,
        };
        const roomy = leaf.x1 - leaf.x0 > 56 && leaf.y1 - leaf.y0 > 20;
        return (
          <div key={text} className={`cell ${leaf.data.style}`} style={box} title={text}>
            {roomy && (
              <span>
                {leaf.data.label}
                {leaf.y1 - leaf.y0 > 52 && owner && <small>{owner}</small>}
                {leaf.y1 - leaf.y0 > 36 && <small>{size(leaf.data.bytes)}</small>}
              </span>
            )}
          </div>
        );
      })}
    </div>
  );
}
