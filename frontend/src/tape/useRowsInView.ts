import { type RefObject, useEffect, useState } from "react";

/** So many rows above and below are drawn too, that none is missing while it scrolls. */
const BESIDE = 8;

/** Which of a box's rows, all of one height in pixels, are in view: the first, and the one behind the last. */
export function useRowsInView(
  box: RefObject<HTMLElement | null>,
  count: number,
  height: number,
): [number, number] {
  const [{ top, room }, setSeen] = useState({ top: 0, room: 0 });
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const look = (): void => {
      const top = Math.floor(element.scrollTop / height);
      const room = Math.ceil(element.clientHeight / height) + 1;
      setSeen((old) => (old.top === top && old.room === room ? old : { top, room }));
    };
    // It looks once at its beginning too.
    const observer = new ResizeObserver(look);
    observer.observe(element);
    element.addEventListener("scroll", look, { passive: true });
    return () => {
      observer.disconnect();
      element.removeEventListener("scroll", look);
    };
  }, [box, height]);
  // Fewer rows than before: the box scrolls back, and says so only later.
  const first = Math.max(0, Math.min(top, count - room) - BESIDE);
  return [first, Math.min(count, first + room + 2 * BESIDE)];
}
