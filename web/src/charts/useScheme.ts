import { useSyncExternalStore } from "react";

const root = document.documentElement;
const scheme = () => root.getAttribute("data-scheme") ?? "light";

function subscribe(changed: () => void) {
  const observer = new MutationObserver(changed);
  observer.observe(root, { attributeFilter: ["data-scheme"] });
  return () => observer.disconnect();
}

/** Day or night as the page shows it now: for what is drawn on a canvas. */
export const useScheme = () => useSyncExternalStore(subscribe, scheme);
