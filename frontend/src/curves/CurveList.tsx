import { useState } from "react";
import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";
import { alike, useLive } from "../live/connection";
import { dated } from "../look/format";
import type { Theme } from "../look/theme";
import { Entry } from "../parts/Select";
import { Swatch } from "./Swatch";
import { type Curve, type CurveStatus, type Drawn, keyOf, type Ref, useKeptCurves } from "./curves";

const List = styled.aside`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 10px;
  h2 {
    font-size: 12.5px;
    color: var(--quiet);
    margin: 10px 2px 4px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .many {
    max-height: 46vh;
    overflow: auto;
  }
  p {
    color: var(--quiet);
    margin: 4px 2px;
    font-size: 13px;
  }
`;

const Item = styled(AriaButton)<{ $chosen: boolean }>`
  display: block;
  width: 100%;
  text-align: left;
  border: 1px solid ${({ $chosen }) => ($chosen ? "var(--action)" : "transparent")};
  background: ${({ $chosen }) => ($chosen ? "var(--chosen)" : "transparent")};
  border-radius: 6px;
  padding: 5px 8px;
  cursor: pointer;
  font-size: 13.5px;
  overflow-wrap: anywhere;
  b {
    font-weight: 600;
  }
  small {
    display: block;
    color: var(--quiet);
    font-size: 12.5px;
  }
  .off {
    color: var(--caution);
  }
  &[data-hovered] {
    border-color: var(--action);
  }
`;

interface Row {
  ref: Ref;
  about: Curve | CurveStatus;
  of: string;
}

/** The curves there are: a press draws one, or takes it away. */
export function CurveList({
  shown,
  onToggle,
  theme,
}: {
  shown: readonly Drawn[];
  onToggle: (ref: Ref) => void;
  theme: Theme;
}) {
  const lately = useLive(({ status }) => status?.curves ?? [], alike);
  const kept = useKeptCurves();
  const [wanted, setWanted] = useState("");
  const now: Row[] = [...lately].reverse().map((one) => ({
    ref: { run: null, number: one.number },
    about: one,
    of: one.kept ? [one.item, one.run_name].filter(Boolean).join(", ") : "not kept: no run was on",
  }));
  const isNow = new Set(lately.map((one) => `${one.run}.${one.kept}`));
  const every: Row[] = (kept.data ?? [])
    .filter((one) => !isNow.has(`${one.run}.${one.curve.number}`))
    .map((one) => ({
      ref: { run: one.run, number: one.curve.number },
      about: one.curve,
      of: [one.item, one.run_name].filter(Boolean).join(", "),
    }));
  const found = every.filter(({ about, of }) =>
    `${about.name} ${of} ${about.instrument_name}`.toLowerCase().includes(wanted.trim().toLowerCase()),
  );
  const item = ({ ref, about, of }: Row) => {
    const same = "run" in about && about.kept ? keyOf({ run: about.run, number: about.kept }) : "";
    const ink = shown.findIndex(({ key }) => key === keyOf(ref) || key === same);
    return (
      <li key={keyOf(ref)}>
        <Item $chosen={ink >= 0} aria-pressed={ink >= 0} onPress={() => onToggle(shown[ink]?.ref ?? ref)}>
          {ink >= 0 && <Swatch ink={ink} theme={theme} />} <b>{about.name}</b>
          <small>
            {[dated(about.begun_at / 1000), about.instrument_name, of].filter(Boolean).join(", ")}
          </small>
          <small className={about.state === "complete" || about.state === "in progress" ? undefined : "off"}>
            {about.words}
          </small>
        </Item>
      </li>
    );
  };
  return (
    <List aria-label="Curves there are">
      {now.length > 0 && (
        <>
          <h2>Now and lately</h2>
          <ul>{now.map(item)}</ul>
        </>
      )}
      <h2>In the Logbook</h2>
      {every.length > 8 && <Entry label="Find" value={wanted} onChange={setWanted} width="100%" />}
      <ul className="many">{found.map(item)}</ul>
      {kept.error && <p role="alert">{kept.error.message}</p>}
      {kept.data && !found.length && (
        <p>
          {every.length
            ? "None of them fits."
            : kept.data.length
              ? "All of them stand above."
              : "No run has a curve yet."}
        </p>
      )}
    </List>
  );
}
