import { Fragment, type ReactNode } from "react";

/** A sentence of the words with what stands in the place of its {names}: the sequence is the language's. */
export function Phrase({ text, ...parts }: { text: string } & Record<string, ReactNode>) {
  return text.split(/\{(\w+)\}/).map((part, i) => <Fragment key={i}>{i % 2 === 1 ? parts[part] : part}</Fragment>);
}
