import { useLocation, useSearchParams } from "react-router";

export type Sort = "begun" | "name" | "item" | "operator" | "length" | "samples";
export type Ended = "" | "logging" | "ended" | "interrupted";
export type Verdict = "" | "within" | "beyond";

export const ENDED: { value: Ended; text: string }[] = [
  { value: "", text: "any end" },
  { value: "ended", text: "ended" },
  { value: "interrupted", text: "interrupted" },
  { value: "logging", text: "logging now" },
];
export const VERDICTS: { value: Verdict; text: string }[] = [
  { value: "", text: "any verdict" },
  { value: "within", text: "within limits" },
  { value: "beyond", text: "beyond limits" },
];
const SORTS: readonly Sort[] = ["begun", "name", "item", "operator", "length", "samples"];

export interface RunFilters {
  search: string;
  ended: Ended;
  verdict: Verdict;
  /** Days as ISO 8601 has them; null for none. */
  from: string | null;
  to: string | null;
  by: Sort;
  falling: boolean;
  bin: boolean;
}

export interface RunFiltersInAddress {
  filters: RunFilters;
  set: (change: Partial<RunFilters>) => void;
  /** Where each page behind the first begins; another filter begins at the first. */
  pages: string[];
  turn: (pages: string[]) => void;
  /** Whether any run is left out. */
  filtered: boolean;
  clear: () => void;
}

const among = <T extends string>(value: string | null, known: readonly T[], other: T): T =>
  known.find((one) => one === value) ?? other;

const DAY = /^\d{4}-\d\d-\d\d$/;
const dayOf = (text: string | null): string | null => (text && DAY.test(text) ? text : null);

/** Filters as they stand in an address; what is none is left out. */
export function filtersOf(address: URLSearchParams): RunFilters {
  const sort = address.get("sort") ?? "";
  return {
    search: (address.get("find") ?? "").slice(0, 100),
    ended: among(address.get("ended"), ENDED.map((one) => one.value), ""),
    verdict: among(address.get("verdict"), VERDICTS.map((one) => one.value), ""),
    from: dayOf(address.get("from")),
    to: dayOf(address.get("to")),
    by: among(sort.replace(/^-/, ""), SORTS, "begun"),
    falling: sort === "" || sort.startsWith("-"),
    bin: address.has("bin"),
  }; // prettier-ignore
}

/** The other way round: what is as ever is left out. */
export function addressOf(filters: RunFilters): Record<string, string> {
  const { search, ended, verdict, from, to, by, falling, bin } = filters;
  const sort = by === "begun" && falling ? "" : `${falling ? "-" : ""}${by}`;
  const all = { find: search, ended, verdict, from: from ?? "", to: to ?? "", sort };
  const given = Object.fromEntries(Object.entries(all).filter(([, text]) => text !== ""));
  return bin ? { bin: "", ...given } : given;
}

/** Which runs are listed, in the address: a link, a reload and the way back show the same. */
export function useRunFilters(): RunFiltersInAddress {
  const [address, setAddress] = useSearchParams();
  const state = useLocation().state as { pages?: string[] } | null;
  const filters = filtersOf(address);
  const { search, ended, verdict, from, to, bin } = filters;
  return {
    filters,
    set: (change) => setAddress(addressOf({ ...filters, ...change }), { replace: true, state: {} }),
    pages: state?.pages ?? [],
    turn: (pages) => setAddress(addressOf(filters), { state: { pages } }),
    filtered: search !== "" || ended !== "" || verdict !== "" || from !== null || to !== null,
    clear: () => setAddress(bin ? { bin: "" } : {}, { replace: true, state: {} }),
  };
}
