import { createContext, type ReactNode, useCallback, useContext, useEffect, useRef, useState } from "react";
import { useLocation } from "react-router";

const Say = createContext<(text: string) => void>(() => {});

/** Says what became of something that was asked for; where that took away what had the focus, the focus goes there. */
export const useResult = () => useContext(Say);

/** The line in which results are said. */
export function Results({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<{ text: string }>();
  const line = useRef<HTMLParagraphElement>(null);
  const { pathname } = useLocation();
  const say = useCallback((text: string) => setSaid({ text }), []);
  useEffect(() => setSaid(undefined), [pathname]);
  useEffect(() => {
    if (!said) return;
    // What is fetched again comes a moment later, and takes away what was done.
    const looks = [0, 300, 900].map((after) =>
      window.setTimeout(() => {
        if (document.activeElement === document.body) line.current?.focus();
      }, after),
    );
    return () => looks.forEach(window.clearTimeout);
  }, [said]);
  return (
    <Say.Provider value={say}>
      <p ref={line} role="status" tabIndex={-1} className={said ? "result" : "result hidden"}>
        {said?.text}
      </p>
      {children}
    </Say.Provider>
  );
}
