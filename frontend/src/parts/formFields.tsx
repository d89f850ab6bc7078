import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";

interface FormFields {
  /** What is wrong in a field, "" where nothing is. */
  report: (id: string, words: string) => void;
  /** Changes when all fields are to show again what is in force. */
  turn: number;
}

const Fields = createContext<FormFields>({ report: () => undefined, turn: 0 });

export const useFormFields = (): FormFields => useContext(Fields);

/** The fields of a form: what is typed wrong in one of them keeps the form from being saved. */
export function useForm(): {
  /** The first thing that is wrong, "" for nothing. */
  wrong: string;
  /** All fields show again what is in force. */
  reset: () => void;
  within: (children: ReactNode) => ReactNode;
} {
  const [found, setFound] = useState<ReadonlyMap<string, string>>(new Map());
  const [turn, setTurn] = useState(0);
  const report = useCallback((id: string, words: string) => {
    setFound((old) => {
      if ((old.get(id) ?? "") === words) return old;
      const next = new Map(old);
      if (words) next.set(id, words);
      else next.delete(id);
      return next;
    });
  }, []);
  const value = useMemo(() => ({ report, turn }), [report, turn]);
  const reset = useCallback(() => setTurn((old) => old + 1), []);
  const [wrong = ""] = found.values();
  return { wrong, reset, within: (children) => <Fields value={value}>{children}</Fields> };
}
