/** Calling a person who does not look: a sound, a notice of the browser's, each only where wanted. */

export interface Calls {
  sound: boolean;
  notice: boolean;
}

const KEPT = "tidybench-calls";

export function wanted(): Calls {
  const words = localStorage.getItem(KEPT) ?? "";
  return { sound: words.includes("sound"), notice: words.includes("notice") };
}

/** Turn one on or off; notices need the browser's leave. Gives what is in force. */
export async function want(what: keyof Calls, on: boolean): Promise<Calls> {
  const calls = wanted();
  calls[what] = on;
  if (what === "notice" && on && (await leave()) !== "granted") calls.notice = false;
  localStorage.setItem(KEPT, `${calls.sound ? "sound" : ""} ${calls.notice ? "notice" : ""}`);
  if (what === "sound" && on) beep();
  return calls;
}

const leave = async (): Promise<string> =>
  "Notification" in window ? Notification.requestPermission() : "denied";

export function alarm(words: string): void {
  const calls = wanted();
  if (calls.sound) beep();
  if (calls.notice && "Notification" in window && Notification.permission === "granted")
    new Notification("Tidy Bench", { body: words, tag: "tidybench-limit" });
}

function beep(): void {
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
