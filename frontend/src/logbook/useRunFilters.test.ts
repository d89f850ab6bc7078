import { expect, test } from "vitest";
import { addressOf, filtersOf, type RunFilters } from "./useRunFilters";

const PLAIN: RunFilters = {
  search: "",
  ended: "",
  verdict: "",
  from: null,
  to: null,
  by: "begun",
  falling: true,
  bin: false,
};

test.each([
  PLAIN,
  { ...PLAIN, search: "pump 7 & valve=1%", verdict: "beyond" as const, bin: true },
  { ...PLAIN, from: "2026-11-01", to: "2026-11-28", ended: "interrupted" as const },
  { ...PLAIN, by: "item" as const, falling: false },
  { ...PLAIN, by: "begun" as const, falling: false },
  { ...PLAIN, by: "length" as const },
])("filters come back from their address as they were: %o", (filters) => {
  const address = new URLSearchParams(new URLSearchParams(addressOf(filters)).toString());
  expect(filtersOf(address)).toEqual(filters);
});

test("a list without filters has a plain address, and nonsense in one is as if it were not there", () => {
  expect(addressOf(PLAIN)).toEqual({});
  expect(filtersOf(new URLSearchParams("ended=soon&verdict=1&from=yesterday&sort=-colour"))).toEqual(PLAIN);
});
