import type { ActStatus, Instrument } from "../api/client";
import { moment } from "../look/format";

/** Whether nothing says that it was not done. */
export const isGood = (act: ActStatus): boolean =>
  act.outcome === "answered" || act.outcome === "sent" || act.outcome === "waiting";

/** What came of a command, with its time. */
export function outcomeWords(act: ActStatus): string {
  if (act.ended_at == null) return `on its way since ${moment(act.asked_at / 1000)}`;
  return `${moment(act.ended_at / 1000)} ${act.words}`;
}

/** The newest of a command that was given. */
export const newestOf = (instrument: Instrument | undefined, command: string): ActStatus | undefined =>
  instrument?.acts.find((one) => one.command === command);

/** What was typed, in words. */
export const typedWords = (act: ActStatus): string =>
  Object.values(act.values)
    .map((value) => String(value))
    .join(", ");

/** Why a command cannot be sent now, or had better not; "" for no reason. */
export function hindrance(instrument: Instrument | undefined): { words: string; forbids: boolean } {
  if (!instrument) return { words: "The instrument is not on the bench.", forbids: true };
  const stopped = instrument.stages.find((stage) => stage.state === "stopped");
  if (!stopped) return { words: "", forbids: false };
  return { words: `${stopped.name}: ${stopped.sentence || stopped.words}`, forbids: stopped.name === "Port" };
}
