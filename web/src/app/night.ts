import { useEffect, useSyncExternalStore } from "react";

const KEY = "vigilant-night";
const system = window.matchMedia("(prefers-color-scheme: dark)");
const listeners = new Set<() => void>();
const isNight = () => (localStorage.getItem(KEY) ?? (system.matches ? "night" : "day")) === "night";

function subscribe(listener: () => void) {
  listeners.add(listener);
  system.addEventListener("change", listener);
  return () => {
    listeners.delete(listener);
    system.removeEventListener("change", listener);
  };
}

/** Day or night: the system's until switched by hand. */
export function useNight(): [boolean, () => void] {
  const night = useSyncExternalStore(subscribe, isNight);
  useEffect(() => {
    document.documentElement.toggleAttribute("data-night", night);
  }, [night]);
  const toggle = () => {
    localStorage.setItem(KEY, night ? "day" : "night");
    for (const listener of listeners) listener();
  };
  return [night, toggle];
}
