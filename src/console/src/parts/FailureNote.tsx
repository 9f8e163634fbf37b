import type { Failure } from "../api/client";

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

/** A failure in three sentences: what happened, where the data lives, what to do. */
export function FailureNote({ failure }: { failure: Failure }) {
  return (
    <div className="failure">
      <p>
        <Sentence text={failure.text} />
      </p>
      <p>
        <Sentence text={failure.where} />
      </p>
      <p>
        <Sentence text={failure.remedy} />
      </p>
    </div>
  );
}
