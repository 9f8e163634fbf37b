import type { Failure } from "../api/client";
import { words } from "../words";

/** Backquoted parts of a sentence are paths or commands. */
export function Sentence({ text }: { text: string }) {
  let at = 0;
  return (
    <>
      {text.split("`").map((part, i) => {
        at += part.length + 1;
        return i % 2 === 1 ? <code key={at}>{part}</code> : <span key={at}>{part}</span>;
      })}
    </>
  );
}

/** A failure: what happened, where the data lives, what to do. */
export function FailureNote({ failure }: { failure: Failure }) {
  const toDo = [failure.remedy, words.nextSteps[failure.next ?? "none"](failure.relocation ?? 0)];
  return (
    <div className="failure">
      <p>
        <Sentence text={failure.text} />
      </p>
      <p>
        <Sentence text={failure.where} />
      </p>
      {failure.lockedOut && (
        <p>
          <Sentence text={words.stillLockedOut(failure.lockedOut)} />
        </p>
      )}
      <p>
        <Sentence text={toDo.filter((t) => t !== "").join(" ")} />
      </p>
    </div>
  );
}
