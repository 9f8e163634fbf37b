import type { SpaceMoment, VolumeSpace } from "../api/client";
import { dayOf, size, spaceSentence, words } from "../words";

const WIDTH = 640;
const HEIGHT = 170;
const LEFT = 62;
const BOTTOM = 22;
const DAY = 86_400_000;

/** Used space over time with what it will be, its 90 % range, and where the reserve and the end of the volume lie. */
export function GrowthChart({ volume, history }: { volume: VolumeSpace; history: SpaceMoment[] }) {
  const first = history[0];
  const last = history.at(-1);
  if (!first || !last || !volume.growth || history.length < 2) return null;
  const [begin, now] = [Date.parse(first.at), Date.parse(last.at)];
  const ahead = Math.min(90, Math.max(14, (volume.daysLeft ?? 60) * 1.2));
  const end = now + ahead * DAY;
  const top = volume.sizeBytes * 1.04;
  const x = (at: number) => LEFT + ((at - begin) / (end - begin)) * (WIDTH - LEFT - 8);
  const y = (bytes: number) => 6 + (1 - Math.min(bytes, top) / top) * (HEIGHT - BOTTOM - 6);
  const used = volume.sizeBytes - volume.freeBytes;
  const later = (slope: number) => Math.max(0, used + slope * ahead);
  const line = history.map(
    (h, i) => `${i === 0 ? "M" : "L"}${x(Date.parse(h.at)).toFixed(1)} ${y(h.usedBytes).toFixed(1)}`,
  );
  const { bytesPerDay, lowBytesPerDay, highBytesPerDay } = volume.growth;
  const limit = volume.sizeBytes - volume.reserveBytes;
  const days = [begin, now, end];
  return (
    <svg className="growth" viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={spaceSentence(volume)}>
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line
            className="grid"
            x1={LEFT}
            x2={WIDTH - 8}
            y1={y(share * volume.sizeBytes)}
            y2={y(share * volume.sizeBytes)}
          />
          <text x={LEFT - 6} y={y(share * volume.sizeBytes) + 4} textAnchor="end">
            {size(share * volume.sizeBytes)}
          </text>
        </g>
      ))}
      {volume.reserveBytes > 0 && (
        <g>
          <line className="limit" x1={LEFT} x2={WIDTH - 8} y1={y(limit)} y2={y(limit)} />
          <text x={LEFT + 4} y={y(limit) - 4}>
            {words.reserve}
          </text>
        </g>
      )}
      <path
        className="fan"
        d={`M${x(now)} ${y(used)} L${x(end)} ${y(later(highBytesPerDay))} L${x(end)} ${y(later(lowBytesPerDay))} Z`}
      />
      <path className="ahead" d={`M${x(now)} ${y(used)} L${x(end)} ${y(later(bytesPerDay))}`} />
      <path className="past" d={line.join(" ")} />
      {days.map((at, i) => (
        <text key={at} x={x(at)} y={HEIGHT - 6} textAnchor={i === 0 ? "start" : i === 1 ? "middle" : "end"}>
          {i === 1 ? words.today : dayOf(at)}
        </text>
      ))}
      <text x={LEFT + 4} y={used > volume.sizeBytes / 2 ? y(0) - 8 : 26} className="axis">
        {words.usedSpace}
      </text>
    </svg>
  );
}
