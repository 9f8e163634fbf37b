import { useState } from "react";
import { shorten, words } from "../words";

const SHOWN_MS = 1500;

/** A path, shortened in its middle, that is copied when it is pressed. */
export function PathButton({ path }: { path: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <button
      type="button"
      className="copy"
      title={words.pressToCopy(path)}
      onClick={async () => {
        await navigator.clipboard.writeText(path);
        setCopied(true);
        setTimeout(() => setCopied(false), SHOWN_MS);
      }}
    >
      <code>{copied ? words.copied : shorten(path)}</code>
    </button>
  );
}
