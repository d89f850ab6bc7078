/** What can be done with an instrument as a whole. */

import { api, got, type Instrument } from "../api/client";

const path = (key: string): { params: { path: { key: string } } } => ({ params: { path: { key } } });

/** Give its port up, or take it back. */
export async function releaseOrTakeBack(instrument: Instrument): Promise<void> {
  const body = { body: { link: instrument.link } };
  await got(
    instrument.released ? api.POST("/api/ports/take-back", body) : api.POST("/api/ports/release", body),
  );
}

/** Take it off the bench; gives its set-up, which brings it back. */
export const remove = async (key: string): Promise<string> =>
  (await got(api.DELETE("/api/setups/{key}", path(key)))).text;

/** It was in force a moment ago: what it opens was agreed to. */
export const bringBack = async (text: string): Promise<void> => {
  const { reach } = await lookAt(text);
  await got(api.POST("/api/setups", { body: { text, agreed: reach } }));
};

/** What a set-up would open besides a port of this computer. */
export const lookAt = async (text: string): Promise<{ name: string; reach: string }> =>
  got(api.POST("/api/setups/look", { body: { text } }));

/** Another one with the same set-up; gives its id. */
export const duplicate = async (key: string): Promise<string> =>
  (await got(api.POST("/api/instruments/{key}/copy", path(key)))).key;

/** Another name, another group; gives what became of it, in words. */
export const rename = async (key: string, instrument: { name: string; group: string }): Promise<string> =>
  (await got(api.PATCH("/api/instruments/{key}", { ...path(key), body: { changes: { instrument } } })))
    .sentence;

/** Ask it once, now. */
export const readOnce = async (key: string): Promise<void> => {
  await got(api.POST("/api/instruments/{key}/read", path(key)));
};

/** How it talks, in a few words. */
export function how(instrument: Instrument): string {
  if (instrument.talks !== "when asked") return instrument.talks;
  if (!instrument.has_queries) return "nothing asked yet";
  if (instrument.asked_per_s) return `asked ${Number(instrument.asked_per_s.toFixed(1))}/s`;
  return "asked on demand, or continuously";
}
