import { createContext, type ReactNode, useContext } from "react";
import type { AccessLevel } from "../api/client";

const Me = createContext<AccessLevel>("reader");

export const MyLevel = Me.Provider;

/** Whether my access level lets me do what needs at least this one. An approver approves, and does nothing else that a technician does. */
export function useMay(least: AccessLevel): boolean {
  const mine = useContext(Me);
  return mine === "steward" || mine === least || least === "reader";
}

/** What only some roles can do; others do not see it. */
export function Only({ least, children }: { least: AccessLevel; children: ReactNode }) {
  return useMay(least) ? children : null;
}
