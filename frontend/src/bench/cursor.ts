/** The cursor over all lanes: one time, and a second one for differences. Past React, for it moves with the pointer. */

export class Cursor {
  /** Where the readouts are read, in milliseconds; null: at the pen's end. */
  at: number | null = null;
  /** The second one; differences are taken from it. */
  from: number | null = null;
  /** Whether `at` stays when the pointer leaves. */
  pinned = false;
  private readonly listeners = new Set<() => void>();

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  hover(at: number | null): void {
    if (this.pinned || at === this.at) return;
    this.at = at;
    this.tell();
  }

  /** A press: the first pins it, the second is where differences end, the third takes both away. */
  press(at: number): void {
    if (!this.pinned) {
      this.at = at;
      this.pinned = true;
    } else if (this.from === null) {
      this.from = this.at;
      this.at = at;
    } else return this.clear();
    this.tell();
  }

  move(to: number): void {
    this.at = to;
    this.pinned = true;
    this.tell();
  }

  clear(): void {
    this.at = this.from = null;
    this.pinned = false;
    this.tell();
  }

  private tell(): void {
    this.listeners.forEach((listener) => listener());
  }
}
