import type { PlannedMachine } from "../api/client";
import { size, words } from "../words";

type PlannedVolume = PlannedMachine["volumes"][number];

const WIDTH = 900;
const HEIGHT = 170;
const LEFT = 70;
const TOP = 14;
const BOTTOM = 22;

const lowest = (v: PlannedVolume) => v.timeline.reduce((a, b) => (b.freeBytes < a.freeBytes ? b : a));

/** What the drawing shows, in words. */
export function timelineSentence(v: PlannedVolume): string {
  const least = lowest(v);
  return words.timeline(v, least);
}

/** Free space after every change of a plan, one step each, with its lowest point and the reserve. */
export function SpaceTimeline({ volume }: { volume: PlannedVolume }) {
  const points = volume.timeline;
  const least = lowest(volume);
  const top = 1.08 * Math.max(volume.reserveBytes, ...points.map((p) => p.freeBytes));
  const step = (WIDTH - LEFT - 8) / points.length;
  const x = (i: number) => LEFT + i * step;
  const y = (bytes: number) => TOP + (1 - Math.max(0, bytes) / top) * (HEIGHT - BOTTOM - TOP);
  const line = points.map((p, i) => `${i === 0 ? "M" : "L"}${x(i)} ${y(p.freeBytes)} H${x(i + 1)}`).join(" ");
  const at = points.indexOf(least);
  const right = at > points.length / 2;
  return (
    <svg
      className="growth timeline"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={timelineSentence(volume)}
    >
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line className="grid" x1={LEFT} x2={WIDTH - 8} y1={y((share * top) / 1.08)} y2={y((share * top) / 1.08)} />
          <text x={LEFT - 6} y={y((share * top) / 1.08) + 4} textAnchor="end">
            {size((share * top) / 1.08)}
          </text>
        </g>
      ))}
      {volume.reserveBytes > 0 && (
        <g>
          <line className="limit" x1={LEFT} x2={WIDTH - 8} y1={y(volume.reserveBytes)} y2={y(volume.reserveBytes)} />
          <text x={WIDTH - 10} y={y(volume.reserveBytes) - 4} textAnchor="end">
            {words.reserve}
          </text>
        </g>
      )}
      <path className="past" d={line} />
      {points.map((p, i) => (
        <rect
          key={`${p.after} ${p.what}`}
          className="step"
          x={x(i)}
          y={TOP}
          width={step}
          height={HEIGHT - BOTTOM - TOP}
        >
          <title>{words.freeThen(p.what, size(p.freeBytes))}</title>
        </rect>
      ))}
      <circle className="least" cx={x(at) + step / 2} cy={y(least.freeBytes)} r="4" />
      <text
        x={x(at) + step / 2}
        y={y(least.freeBytes) + (y(least.freeBytes) > HEIGHT - BOTTOM - 24 ? -9 : 18)}
        textAnchor={at === 0 ? "start" : right ? "end" : "middle"}
      >
        {words.lowestPoint(size(least.freeBytes))}
      </text>
      <text x={LEFT} y={HEIGHT - 6}>
        {words.now}
      </text>
      <text x={WIDTH - 8} y={HEIGHT - 6} textAnchor="end">
        {words.allDiscarded}
      </text>
      <text x={LEFT + 4} y={TOP - 2} className="axis">
        {words.freeAfterEach}
      </text>
    </svg>
  );
}
