import { useState } from "react";
import { shorten } from "../words";

const SHOWN_MS = 1500;

/** A path, shortened in its middle, that is copied when it is pressed. */
export function PathButton({ path }: { path: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <button
      type="button"
      className="copy"
      title={`${path} (press to copy)`}
      onClick={async () => {
        await navigator.clipboard.writeText(path);
        setCopied(true);
        setTimeout(() => setCopied(false), SHOWN_MS);
      }}
    >
      <code>{copied ? "copied" : shorten(path)}</code>
    </button>
  );
}
