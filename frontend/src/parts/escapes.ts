/** Bytes as people write them: \r \n \t \0 \x1B \\, or hexadecimal. One character a byte. */

const SIMPLE: Record<string, string> = { r: "\r", n: "\n", t: "\t", "0": "\0", "\\": "\\" };
const NAMES: Record<string, string> = { "\r": "\\r", "\n": "\\n", "\t": "\\t", "\0": "\\0", "\\": "\\\\" };

/** The bytes of an escaped text; an Error says what is wrong with it and where. */
export function unescaped(text: string): string {
  let out = "";
  for (let at = 0; at < text.length; at++) {
    const char = text[at] ?? "";
    if (char !== "\\") {
      if (char.charCodeAt(0) > 0xff)
        throw new Error(
          `“${char}” (character ${at + 1}) is not a single byte (00 to FF). Write bytes as \\x00 to \\xFF.`,
        );
      out += char;
      continue;
    }
    const next = text[++at] ?? "";
    const digits = text.slice(at + 1, at + 3);
    if (next === "x" && /^[0-9a-f]{2}$/i.test(digits)) {
      out += String.fromCharCode(parseInt(digits, 16));
      at += 2;
    } else if (next in SIMPLE) out += SIMPLE[next];
    else
      throw new Error(`“\\${next}” (character ${at}) is no escape. Known are \\r \\n \\t \\0 \\x1B \\\\ .`);
  }
  return out;
}

/** A text that `unescaped` reads back to these bytes. */
export const escaped = (bytes: string): string =>
  Array.from(bytes, (char) => {
    const code = char.charCodeAt(0);
    const printable = (code >= 0x20 && code < 0x7f) || code > 0xa0;
    return NAMES[char] ?? (printable ? char : `\\x${code.toString(16).toUpperCase().padStart(2, "0")}`);
  }).join("");

/** The bytes of pairs of hexadecimal digits, with or without blanks between. */
export function fromHex(text: string): string {
  const digits = text.replace(/[\s,]|0x/gi, "");
  const wrong = /[^0-9a-f]/i.exec(digits);
  if (wrong) throw new Error(`“${wrong[0]}” is no hexadecimal digit (0 to 9, A to F).`);
  if (digits.length % 2) throw new Error("A byte has two hexadecimal digits; one is missing.");
  return (digits.match(/../g) ?? []).map((pair) => String.fromCharCode(parseInt(pair, 16))).join("");
}

export const ENDS: { value: string; text: string }[] = [
  { value: "", text: "nothing" },
  { value: "\r", text: "CR" },
  { value: "\n", text: "LF" },
  { value: "\r\n", text: "CR LF" },
];

/** A terminator as people call it. */
export const endName = (end: string): string =>
  ENDS.find((one) => one.value === end)?.text ?? (end === "either" ? "CR or LF" : escaped(end));
