import styled from "styled-components";
import { clock } from "../look/format";
import type { LiveState } from "../live/connection";

const Banner = styled.div`
  margin: 0 12px 10px;
  background: var(--faultGround);
  color: var(--fault);
  border: 1px solid var(--fault);
  border-radius: var(--radius);
  padding: 10px 16px;
  font-weight: 600;
`;

/** Whether the bench is heard at all, on every page. */
export function LineBanner({ live }: { live: LiveState }) {
  const words = lineWords(live);
  return words ? <Banner role="alert">{words}</Banner> : null;
}

function lineWords({ line, since, why }: LiveState): string {
  const goesOn = "What is being logged goes on; this page joins again by itself.";
  switch (line) {
    case "no server":
      return `The connection to Tidy Bench is lost since ${clock(since)}. ${goesOn}`;
    case "silent":
      return `Nothing has been heard from the bench since ${clock(since)}, though the connection stands. ${goesOn}`;
    case "no recorder":
      return `${why} Not heard since ${clock(since)}.`;
    case "refused":
      return "";
    default:
      return why;
  }
}
