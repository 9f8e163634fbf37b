/** Said to those who cannot see what stands below it. */
export const HIDDEN = "hidden";

/** The headings of a table: each a text, or a style and a text. */
export function Columns({ of, className }: { of: (string | [style: string, text: string])[]; className?: string }) {
  return (
    <thead className={className}>
      <tr>
        {of.map((column) => {
          const [style, text] = typeof column === "string" ? [undefined, column] : column;
          return (
            <th key={text} className={style === HIDDEN ? undefined : style}>
              {style === HIDDEN ? <span className={HIDDEN}>{text}</span> : text}
            </th>
          );
        })}
      </tr>
    </thead>
  );
}
