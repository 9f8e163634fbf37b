import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";

/** Whether a text has every word of a filter. */
export function fits(text: string, filter: string): boolean {
  const all = text.toLowerCase();
  return filter
    .toLowerCase()
    .split(/\s+/)
    .every((word) => all.includes(word));
}

/** The filter of a page; it stands in its address, so that a filtered page can be passed on. */
export function useFilter(): string {
  return useSearchParams()[0].get("filter") ?? "";
}

/** A page's heading with the field of its filter. */
export function FilterHeading({ title, label, hint }: { title: string; label: string; hint: string }) {
  const [, setParameters] = useSearchParams();
  const filter = useFilter();
  // What is typed stands at once; a page with much on it follows when it can.
  const [typed, setTyped] = useState(filter);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (document.activeElement !== field.current) setTyped(filter);
  }, [filter]);
  return (
    <div className="heading">
      <h1>{title}</h1>
      <label>
        <span className="quiet">{label}</span>
        <input
          type="search"
          placeholder={hint}
          ref={field}
          value={typed}
          onChange={(e) => {
            setTyped(e.target.value);
            setParameters(e.target.value ? { filter: e.target.value } : {}, { replace: true });
          }}
        />
      </label>
    </div>
  );
}
