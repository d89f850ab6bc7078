import { useState } from "react";
import { alike, type LiveState, useLive } from "../live/connection";
import { moment } from "../look/format";
import { Banner } from "../parts/Banner";
import { Chip } from "../parts/Button";

const KEPT = "tidybench-safe-seen";

/** Safe states that were not reached: which and when, and in words. Texts, so that they are alike where nothing has changed. */
const failed = ({ status }: LiveState): string[] =>
  (status?.safe ?? [])
    .filter((one) => !one.good)
    .map(
      (one) =>
        `${one.instrument} ${one.at}\nThe safe state of ${one.name} was not reached at ${moment(one.at / 1000)} (${one.why}). ${one.words}`,
    );

const keyOf = (one: string): string => one.split("\n", 1)[0] ?? "";

/** An instrument that could not be brought to its safe state is said on every page, until somebody has seen it. */
export function SafeBanner() {
  const all = useLive(failed, alike);
  const [seen, setSeen] = useState(() => sessionStorage.getItem(KEPT) ?? "");
  const told = all.filter((one) => !seen.split("|").includes(keyOf(one)));
  if (!told.length) return null;
  const dismiss = (): void => {
    const next = all.map(keyOf).join("|");
    sessionStorage.setItem(KEPT, next);
    setSeen(next);
  };
  return (
    <Banner style={{ margin: "0 12px 10px" }}>
      {told.map((one) => (
        <p key={one}>{one.slice(keyOf(one).length + 1)}</p>
      ))}
      <Chip onPress={dismiss}>Seen</Chip>
    </Banner>
  );
}
