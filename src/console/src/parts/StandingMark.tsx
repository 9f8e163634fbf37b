import type { Standing } from "../api/client";
import { standingShape } from "../words";

/** A machine's standing: shape, word and tone, never tone alone. */
export function StandingMark({ standing }: { standing: Standing }) {
  return (
    <span className={`standing ${standing}`}>
      <span aria-hidden="true">{standingShape[standing]}</span> {standing}
    </span>
  );
}
