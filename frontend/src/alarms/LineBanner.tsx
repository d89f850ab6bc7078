import { moment } from "../look/format";
import { alike, type LiveState, useLive } from "../live/connection";
import { Banner } from "../parts/Banner";

/** Whether the bench is heard at all, on every page. */
export function LineBanner() {
  const words = lineWords(useLive(lineOf, alike));
  return words ? <Banner style={{ margin: "0 12px 10px" }}>{words}</Banner> : null;
}

const lineOf = ({ line, since, why }: LiveState) => ({ line, since, why });

function lineWords({ line, since, why }: Pick<LiveState, "line" | "since" | "why">): string {
  const goesOn = "What is being logged goes on; this page joins again by itself.";
  switch (line) {
    case "no server":
      return `The connection to Tidy Bench is lost since ${moment(since)}. ${goesOn}`;
    case "silent":
      return `Nothing has been heard from the bench since ${moment(since)}, though the connection stands. ${goesOn}`;
    case "no recorder":
      return `${why} Not heard since ${moment(since)}.`;
    case "refused":
      return "";
    default:
      return why;
  }
}
