import { useLayoutEffect, useRef } from "react";

export type Keys = Record<string, (event: KeyboardEvent) => void>;

/** Keys of a view. Typing in a field, or a key with Ctrl, Alt or Meta, is left alone; Esc leaves a field. */
export function useKeys(keys: Keys) {
  const current = useRef(keys);
  // Laid with what is drawn, not after it: a key pressed at once, as the page stands, is heard.
  useLayoutEffect(() => {
    current.current = keys;
  });
  useLayoutEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      const at = event.target as HTMLElement;
      if (at.closest("[role=dialog]")) return;
      const ticks = at instanceof HTMLInputElement && /^(checkbox|radio)$/.test(at.type);
      const typing = (/^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName) && !ticks) || at.isContentEditable;
      if (typing) {
        if (event.key === "Escape") at.blur();
        return;
      }
      if (event.key === "Enter" && at.closest("a, button")) return;
      const name = event.shiftKey && event.key.length > 1 ? `Shift+${event.key}` : event.key;
      const act = current.current[name];
      if (act) {
        event.preventDefault();
        act(event);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
