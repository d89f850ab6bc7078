import type { Instrument, Setup } from "../api/client";

/** What the settings of a stage need: the draft, how it is changed, and the instrument as it is now. */
export interface StageProps {
  setup: Setup;
  change: (changes: Partial<Setup>) => void;
  instrument: Instrument | undefined;
}
