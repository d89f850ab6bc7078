import styled from "styled-components";
import { mono } from "../look/theme";

const NAMES = [
  "NUL", "SOH", "STX", "ETX", "EOT", "ENQ", "ACK", "BEL", "BS", "TAB", "LF", "VT", "FF", "CR", "SO", "SI",
  "DLE", "DC1", "DC2", "DC3", "DC4", "NAK", "SYN", "ETB", "CAN", "EM", "SUB", "ESC", "FS", "GS", "RS", "US",
]; // prettier-ignore

const Box = styled.span`
  display: inline-block;
  font: 600 9.5px/1 ${mono};
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 2px 3px;
  margin: 0 1px;
  color: var(--quiet);
  vertical-align: 1.5px;
`;

/** The pieces of a text: runs of printable characters, and names of those that are not. */
export function pieces(text: string): { text: string; control: boolean }[] {
  const out: { text: string; control: boolean }[] = [];
  let run = "";
  for (const char of text) {
    const code = char.charCodeAt(0);
    const printable = (code >= 0x20 && code < 0x7f) || code > 0xff;
    if (printable) {
      run += char;
      continue;
    }
    if (run) out.push({ text: run, control: false });
    run = "";
    const name = code < 0x20 ? NAMES[code] : code === 0x7f ? "DEL" : undefined;
    out.push({ text: name ?? code.toString(16).toUpperCase().padStart(2, "0"), control: true });
  }
  if (run) out.push({ text: run, control: false });
  return out;
}

/** Text off the wire: one character a byte, control characters as small boxed names. */
export function ControlText({ text }: { text: string }) {
  return (
    <>
      {pieces(text).map((piece, index) =>
        piece.control ? <Box key={index}>{piece.text}</Box> : <span key={index}>{piece.text}</span>,
      )}
    </>
  );
}

/** The same bytes in hexadecimal. */
export const hex = (text: string): string =>
  Array.from(text, (char) => char.charCodeAt(0).toString(16).toUpperCase().padStart(2, "0")).join(" ");
