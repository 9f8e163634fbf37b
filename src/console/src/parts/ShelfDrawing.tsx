import { Fragment, useId } from "react";
import type { Shelf } from "../api/client";
import { size, words } from "../words";

const HEIGHT = 22;

/** One block on a shelf, in thousandths of its length. */
interface Block {
  key: string;
  at: number;
  width: number;
  style: string;
  label: string;
}

function layOut(shelf: Shelf): Block[] {
  const share = (bytes: number) => (shelf.sizeBytes > 0 ? (bytes / shelf.sizeBytes) * 1000 : 0);
  const used = shelf.sizeBytes - shelf.freeBytes;
  const managed = shelf.blocks.filter((b) => b.style !== "planned").reduce((sum, b) => sum + b.dataBytes, 0);
  const blocks: Block[] = [];
  let at = 0;
  const put = (key: string, bytes: number, style: string, label: string) => {
    const width = share(bytes);
    if (width <= 0) return;
    blocks.push({ key, at, width: Math.min(width, 1000 - at), style, label: `${label}, ${size(bytes)}` });
    at = Math.min(1000, at + width);
  };
  put("other", Math.max(0, used - managed), "other", words.shelfStyle.other);
  for (const style of ["live", "drifted", "unreadable", "original", "planned"])
    for (const [i, b] of shelf.blocks.filter((one) => one.style === style).entries())
      put(`${style}-${i}`, b.dataBytes, style, `${b.label}, ${style}`);
  return blocks;
}

/** A volume as a shelf: solid where data lives, outlined what is planned, hatched what is kept, plain what is not managed. */
export function ShelfDrawing({ shelf, length = 1000 }: { shelf: Shelf; length?: number }) {
  const hatch = useId();
  const blocks = layOut(shelf);
  const title = words.freeOf(shelf);
  return (
    <svg
      className="shelf"
      viewBox={`0 0 1000 ${HEIGHT}`}
      preserveAspectRatio="none"
      role="img"
      aria-label={title}
      style={{ width: `${length / 10}%` }}
    >
      {blocks.some((b) => b.style === "original") && (
        <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="6" className="hatch" />
        </pattern>
      )}
      <rect x="0" y="0" width="1000" height={HEIGHT} className="board" />
      {blocks.map((b) => (
        <g key={b.key} className={`block ${b.style}`}>
          <title>{b.label}</title>
          <rect
            x={b.at}
            y={b.style === "planned" ? 3 : 1}
            width={Math.max(0.5, b.width - 1)}
            height={HEIGHT - (b.style === "planned" ? 6 : 2)}
            fill={b.style === "original" ? `url(#${hatch})` : undefined}
          />
          {b.style === "unreadable" && (
            <path
              d={`M${b.at} 2 L${b.at + b.width - 1} ${HEIGHT - 2} M${b.at} ${HEIGHT - 2} L${b.at + b.width - 1} 2`}
              className="cross"
            />
          )}
          {b.style === "drifted" && (
            <path
              d={`M${b.at + b.width - 1} 1 l-3 5 l3 5 l-3 5 l3 5`}
              className="torn"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </g>
      ))}
      {shelf.reserveBytes > 0 && (
        <Reserve at={1000 * (1 - shelf.reserveBytes / shelf.sizeBytes)} bytes={shelf.reserveBytes} />
      )}
    </svg>
  );
}

/** A notch, as far from the right as the reserve is wide. */
function Reserve({ at, bytes }: { at: number; bytes: number }) {
  return (
    <g className="reserve">
      <title>{`${words.reserve}, ${size(bytes)}`}</title>
      <path d={`M${at} 0 V7 M${at} ${HEIGHT} V${HEIGHT - 7}`} vectorEffect="non-scaling-stroke" />
    </g>
  );
}

/** What the drawing's styles mean. */
export function ShelfLegend() {
  return (
    <p className="legend quiet">
      {(["live", "planned", "original", "other", "free", "reserve"] as const).map((style) => (
        <Fragment key={style}>
          <span className={`key ${style}`} /> {words.shelfStyle[style]}{" "}
        </Fragment>
      ))}
    </p>
  );
}
