import { useEffect, useRef } from "react";

const ALONE = 150;
const KEPT = "tidybench-single-keys";

/** Where a key belongs to what has focus: fields, windows, and whatever is open to choose from. */
const OWN =
  "input, textarea, select, [contenteditable], [role=dialog], [role=alertdialog], [role=menu], [role=listbox]";

/** Whether single characters act; Escape always does (WCAG 2.2, 2.1.4). */
export const singleKeys = (): boolean => localStorage.getItem(KEPT) !== "off";

export function keepSingleKeys(on: boolean): void {
  if (on) localStorage.removeItem(KEPT);
  else localStorage.setItem(KEPT, "off");
}

/**
 * Single keys, when no field has focus. A barcode scanner types fast: a key acts only when no other key
 * follows within 150 ms.
 */
export function useKeys(keys: Record<string, () => void>): void {
  const current = useRef(keys);
  useEffect(() => {
    current.current = keys;
  });
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    let last = 0;
    const listen = (event: KeyboardEvent): void => {
      const fast = event.timeStamp - last < ALONE;
      last = event.timeStamp;
      clearTimeout(timer);
      if (fast || event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
      const target = event.target instanceof Element ? event.target : null;
      if (target?.closest(OWN)) return;
      if (event.key.length === 1 && !singleKeys()) return;
      const act = current.current[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (act) timer = setTimeout(act, ALONE);
    };
    window.addEventListener("keydown", listen);
    return () => {
      clearTimeout(timer);
      window.removeEventListener("keydown", listen);
    };
  }, []);
}
