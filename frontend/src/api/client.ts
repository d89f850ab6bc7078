import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Status = Schemas["Status"];
export type Channel = Schemas["ChannelStatus"];
export type Instrument = Schemas["InstrumentStatus"];
export type Stage = Schemas["StageStatus"];
export type RunStatus = Schemas["RunStatus"];
export type TapeLine = Schemas["TapeLine"];
export type LiveMessage = Schemas["LiveMessage"];
export type Port = Schemas["PortInfo"];
export type Setup = Schemas["Setup"];
export type SetupForm = Schemas["SetupForm"];
export type Link = Setup["link"];
export type SerialPart = Schemas["SerialPart"];
export type QueryPart = Schemas["QueryPart"];
export type CommandPart = Schemas["CommandPart"];
export type PreviewRow = Schemas["PreviewRow"];
export type MessageSpan = Schemas["MessageSpan"];
export type Failure = Schemas["Failure"];
export type Remedy = Schemas["RemedyInfo"];
export type ReadingQuestion = Schemas["ReadingQuestion"];
export type ReadingProposal = Schemas["ReadingProposal"];
export type FramingSuggestion = Schemas["FramingSuggestion"];
export type Meaning = Schemas["Pointed"]["meaning"];
export type ListenPart = Schemas["ListenPart"];
export type ReaderPart = NonNullable<QueryPart["reader"]>;
export type CheckPart = Schemas["CheckPart"];
export type RegisterPart = Schemas["RegisterPart"];
export type Search = Schemas["SearchStatus"];
export type SearchRow = Schemas["SearchRow"];
export type StartSearch = Schemas["StartSearch"];
export type Comparison = Schemas["Comparison"];
export type RunRow = Schemas["RunRow"];
export type RunDetail = Schemas["RunDetail"];
export type ActStatus = Schemas["ActStatus"];
export type InstrumentCommands = Schemas["InstrumentCommands"];
export type Command = Schemas["CommandInfo"];
export type Argument = Schemas["ArgumentInfo"];
export type InstrumentCommandPart = Schemas["InstrumentCommandPart"];
export type ArgumentPart = Schemas["ArgumentPart"];
export type TableRead = Schemas["TableRead"];
export type ProcedureStatus = Schemas["ProcedureStatus"];
export type ProcedureInfo = Schemas["ProcedureInfo"];
export type RehearsalReport = Schemas["RehearsalReport"];
export type ReactionStatus = Schemas["ReactionStatus"];
export type ReactionPart = Schemas["ReactionPart"];
export type DoPart = Schemas["DoPart"];
export type Health = Schemas["Health"];

export const api = createClient<paths>({
  baseUrl: location.origin,
  fetch: (request) => globalThis.fetch(request),
});

/** The sentence of a refusal, whatever form it came in. */
export function sentence(error: unknown): string {
  if (error && typeof error === "object" && "detail" in error && typeof error.detail === "string")
    return error.detail;
  if (error instanceof Error && error.name !== "TypeError") return error.message;
  return "The web server does not answer. What is being logged goes on; try again in a moment.";
}

/** The data of an answer, or an Error with its sentence. */
export async function got<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await answer;
  } catch (error) {
    throw new Error(sentence(error), { cause: error });
  }
  if (!result.response.ok) throw new Error(sentence(result.error));
  return result.data as T;
}

/** Packed samples from an address. */
export async function samplesFrom(address: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  const response = await fetch(address, signal && { signal });
  if (!response.ok) throw new Error(sentence(await response.json().catch(() => null)));
  return response.arrayBuffer();
}

/** What a person is told of a failure. */
export const said = (error: unknown): string => (error instanceof Error ? error.message : String(error));
