import { createContext, type ReactNode, useContext } from "react";
import type { Role } from "../api/client";

const Me = createContext<Role>("reader");

export const MyRole = Me.Provider;

/** Whether my role lets me do what at least needs this one. An approver approves, and does nothing else that a technician does. */
export function useMay(least: Role): boolean {
  const mine = useContext(Me);
  return mine === "steward" || mine === least || least === "reader";
}

/** What only some roles can do; others do not see it. */
export function Only({ least, children }: { least: Role; children: ReactNode }) {
  return useMay(least) ? children : null;
}
