import { useEffect, useRef } from "react";

const ALONE = 150;

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
      if (target?.closest("input, textarea, select, [contenteditable], [role=dialog], [role=alertdialog]"))
        return;
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
