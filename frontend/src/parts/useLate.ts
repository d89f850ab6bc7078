import { useEffect, useState } from "react";

/** A value once it has stood for this many milliseconds: while a text is being typed, the last word counts. */
export function useLate<T>(value: T, ms: number): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLate(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return late;
}
