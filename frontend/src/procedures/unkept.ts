/** The procedure that is being written. It outlives a look at another page, and the procedure that is begun with it. */

export interface Draft {
  text: string;
  /** The name of the kept one that it was made from; null for a new one. */
  of: string | null;
}

let draft: Draft | null = null;

export const unkeptDraft = (): Draft | null => draft;

export const keepDraft = (next: Draft | null): void => {
  draft = next;
};
