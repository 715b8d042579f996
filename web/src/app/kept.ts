import {
  type Dispatch,
  type RefObject,
  type SetStateAction,
  useEffect,
  useLayoutEffect,
  useRef,
  useState,
} from "react";
import { useLocation, useNavigationType } from "react-router";

/** How long a page may take to become as long as it was. */
const PATIENCE_MS = 4000;

// The first entry of every window has one key; what was kept under it belongs to another visit, unless it is loaded
// again or come back to.
const FIRST = "default";
const [visit] = performance.getEntriesByType("navigation") as PerformanceNavigationTiming[];
if (visit?.type === "navigate")
  for (const key of Object.keys(sessionStorage))
    if (key.startsWith(`${FIRST} `)) sessionStorage.removeItem(key);

function read<T>(key: string): T | undefined {
  const text = sessionStorage.getItem(key);
  return text === null ? undefined : (JSON.parse(text) as T);
}

/** A state of a page that is there again when one comes back to it. */
export function useKept<T>(name: string, start: T): [T, Dispatch<SetStateAction<T>>] {
  const key = `${useLocation().key} ${name}`;
  const [value, setValue] = useState<T>(() => read<T>(key) ?? start);
  useEffect(() => sessionStorage.setItem(key, JSON.stringify(value)), [key, value]);
  return [value, setValue];
}

/** Back finds a page where it was left; a new one is read from its top. */
export function useScrollKept(host: RefObject<HTMLElement | null>) {
  const { key, pathname } = useLocation();
  const back = useNavigationType() === "POP";
  const last = useRef("");
  // Within the commit: after it the page is another, and its height moves the scroll before anybody looks.
  useLayoutEffect(() => {
    const element = host.current;
    if (!element) return;
    const name = `${key} scroll`;
    const wanted = back ? (read<number>(name) ?? 0) : 0;
    // A filter, a figure, a frame in the address is still the same page.
    if (back || last.current !== pathname) element.scrollTop = wanted;
    last.current = pathname;
    // What was fetched may come in pieces: the place is taken again until the page is long enough.
    const grown = new ResizeObserver(() => {
      if (element.scrollTop < wanted) element.scrollTop = wanted;
      if (element.scrollTop >= wanted) grown.disconnect();
    });
    const sheet = element.firstElementChild;
    if (wanted > 0 && sheet && element.scrollTop < wanted) grown.observe(sheet);
    const enough = setTimeout(() => grown.disconnect(), PATIENCE_MS);
    // Where it stood is known from each scroll, and written down when the page is left.
    let top = element.scrollTop;
    const follow = () => {
      top = element.scrollTop;
    };
    const keep = () => sessionStorage.setItem(name, JSON.stringify(top));
    element.addEventListener("scroll", follow, { passive: true });
    window.addEventListener("pagehide", keep);
    return () => {
      keep();
      clearTimeout(enough);
      grown.disconnect();
      element.removeEventListener("scroll", follow);
      window.removeEventListener("pagehide", keep);
    };
  }, [key, pathname, back, host]);
}
