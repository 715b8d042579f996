import { useSyncExternalStore } from "react";

let ended = false;
const listeners = new Set<() => void>();

/** Said where an answer shows that the session is over, and where somebody signed in again. */
export function sessionEnded(now: boolean) {
  if (ended === now) return;
  ended = now;
  for (const listener of listeners) listener();
}

const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
  };
};

/** Did the session end while a page was open? */
export const useSessionEnded = () => useSyncExternalStore(subscribe, () => ended);
