import styled from "styled-components";
import type { Instrument, Port, SerialPart } from "../api/client";
import { Button } from "../parts/Button";
import { escaped } from "../parts/escapes";
import { LinkForm } from "./LinkForm";
import { AddressWindow, LoopBackWindow, SettingsWindow } from "./SearchWindows";
import type { StageProps } from "./stage";

const Lines = styled.dl`
  display: flex;
  gap: 14px;
  margin: 0;
  font-size: 13px;
  align-items: center;
  div {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  dt {
    color: var(--quiet);
  }
  dd {
    margin: 0;
    font-weight: 600;
  }
`;

export type Helper = "" | "settings" | "addresses" | "loop-back";

/** The modem lines, live, where the link has them. */
export function ModemLines({ instrument }: { instrument: Instrument | undefined }) {
  const modem = instrument?.modem;
  if (!modem) return null;
  return (
    <Lines aria-label="Modem lines">
      {(["cts", "dsr", "dcd", "ri"] as const).map((name) => (
        <div key={name}>
          <dt>{name.toUpperCase()}</dt>
          <dd style={{ color: modem[name] ? "var(--action)" : "var(--quiet)" }}>
            {modem[name] ? "on" : "off"}
          </dd>
        </div>
      ))}
    </Lines>
  );
}

/** The link and its settings, and what helps to find them. */
export function PortStage({
  setup,
  change,
  instrument,
  ports,
  helper,
  onHelper,
  save,
}: StageProps & {
  ports: Port[];
  helper: Helper;
  onHelper: (helper: Helper) => void;
  save: (changes: Record<string, unknown>) => void;
}) {
  const link = setup.link;
  const ask = setup.identity?.send ?? setup.query[0]?.send ?? "";
  const close = (): void => onHelper("");
  const use = (settings: Partial<SerialPart>): void => {
    close();
    save({ link: settings });
  };
  return (
    <>
      <LinkForm link={link} onChange={(next) => change({ link: next })} ports={ports} />
      <ModemLines instrument={instrument} />
      {link.kind === "serial" && (
        <div style={{ display: "flex", flexWrap: "wrap", gap: 8 }}>
          <Button style={{ minHeight: 32 }} onPress={() => onHelper("settings")}>
            Work out the settings
          </Button>
          <Button style={{ minHeight: 32 }} onPress={() => onHelper("addresses")}>
            Find addresses
          </Button>
          <Button style={{ minHeight: 32 }} onPress={() => onHelper("loop-back")}>
            Loop-back test
          </Button>
        </div>
      )}
      {link.kind === "serial" && helper === "settings" && (
        <SettingsWindow link={link} query={escaped(ask)} onClose={close} onUse={use} />
      )}
      {link.kind === "serial" && helper === "addresses" && <AddressWindow link={link} onClose={close} />}
      {link.kind === "serial" && helper === "loop-back" && <LoopBackWindow link={link} onClose={close} />}
    </>
  );
}
