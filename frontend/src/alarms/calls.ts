/** Calling a person who does not look: a sound, a notice of the browser's, each only where wanted. */

export interface Calls {
  sound: boolean;
  notice: boolean;
  /** Seconds after which it sounds again until somebody has seen it; 0 for once. */
  again: number;
  /** Who looks after this screen: stands beside what was seen. */
  person: string;
}

const KEPT = "tidybench-calls";
const USUAL: Calls = { sound: false, notice: false, again: 30, person: "" };

export function wanted(): Calls {
  const kept = localStorage.getItem(KEPT) ?? "";
  try {
    return { ...USUAL, ...(JSON.parse(kept) as Partial<Calls>) };
  } catch {
    // As it was kept before: the words that are wanted.
    return { ...USUAL, sound: kept.includes("sound"), notice: kept.includes("notice") };
  }
}

/** Change what is wanted; notices need the browser's leave. Gives what is in force. */
export async function want(change: Partial<Calls>): Promise<Calls> {
  const calls = { ...wanted(), ...change };
  if (change.notice && (await leave()) !== "granted") calls.notice = false;
  localStorage.setItem(KEPT, JSON.stringify(calls));
  return calls;
}

const leave = async (): Promise<string> =>
  "Notification" in window ? Notification.requestPermission() : "denied";

/** Why this browser gives no notices; "" where it may. */
export function noNotices(): string {
  if (!("Notification" in window)) return "This browser gives no notices.";
  return Notification.permission === "denied"
    ? "This browser was told to give no notices here: allow them in its settings for this address."
    : "";
}

/** Call once, in the ways that are wanted. */
export function call(words: string): void {
  const calls = wanted();
  if (calls.sound) beep();
  if (calls.notice && "Notification" in window && Notification.permission === "granted")
    new Notification("Tidy Bench", { body: words, tag: "tidybench-alarm" });
}

/** Three tones. */
export function beep(): void {
  if (!("AudioContext" in window)) return;
  const audio = new AudioContext();
  for (const [at, pitch] of [
    [0, 660],
    [0.25, 880],
    [0.5, 660],
  ] as const) {
    const tone = audio.createOscillator();
    const loud = audio.createGain();
    tone.frequency.value = pitch;
    loud.gain.setValueAtTime(0.2, audio.currentTime + at);
    loud.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + at + 0.22);
    tone.connect(loud).connect(audio.destination);
    tone.start(audio.currentTime + at);
    tone.stop(audio.currentTime + at + 0.24);
  }
  setTimeout(() => void audio.close(), 1500);
}
