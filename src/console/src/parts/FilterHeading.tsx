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
  return (
    <div className="heading">
      <h1>{title}</h1>
      <label>
        <span className="quiet">{label}</span>
        <input
          type="search"
          placeholder={hint}
          value={useFilter()}
          onChange={(e) => setParameters(e.target.value ? { filter: e.target.value } : {}, { replace: true })}
        />
      </label>
    </div>
  );
}
