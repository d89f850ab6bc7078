import { Link, useLocation } from "react-router";
import styled from "styled-components";
import { alike, type LiveState, useLive } from "../live/connection";

const Strip = styled.div`
  margin: 0 12px 10px;
  padding: 6px 14px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  background: var(--chosen);
  border: 1px solid var(--action);
  border-radius: var(--radius);
  b {
    overflow-wrap: anywhere;
  }
`;

const of = ({ status }: LiveState) => {
  const going = status?.procedures.filter((one) => one.state !== "ended") ?? [];
  // One that asks comes first: it goes no further by itself.
  const first = going.find((one) => one.question) ?? going[0];
  const more = going.length - 1;
  return {
    name: first?.name ?? "",
    words: first?.question ? `asks: ${first.question.text}` : first?.waits ? `waits for ${first.waits}` : "",
    more: more > 0 ? `and ${more} more` : "",
    asks: Boolean(first?.question),
  };
};

/** A procedure that is carried out is in sight on every page. */
export function ProcedureBanner() {
  const { name, words, more, asks } = useLive(of, alike);
  const here = useLocation().pathname === "/procedures";
  if (!name || here) return null;
  return (
    <Strip role={asks ? "alert" : "status"}>
      <b>{name}</b>
      <span>{words}</span>
      {more && <span>{more}</span>}
      <Link to="/procedures">{asks ? "Answer" : "Look at it, or stop it"}</Link>
    </Strip>
  );
}
