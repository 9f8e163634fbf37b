/** Whether the service still knows who is asking: any call may be the one that learns that it does not. */
let lost = false;
const listeners = new Set<() => void>();

function set(now: boolean) {
  if (lost === now) return;
  lost = now;
  for (const listener of listeners) listener();
}

export const session = {
  isLost: () => lost,
  lost: () => set(true),
  found: () => set(false),
  listen: (listener: () => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
};
