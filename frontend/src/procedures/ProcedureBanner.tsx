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

const of = ({ status }: LiveState) => ({
  name: status?.procedure && status.procedure.state !== "ended" ? status.procedure.name : "",
  words: status?.procedure?.question
    ? `asks: ${status.procedure.question.text}`
    : status?.procedure?.waits
      ? `waits for ${status.procedure.waits}`
      : "",
  asks: Boolean(status?.procedure?.question),
});

/** A procedure that is carried out is in sight on every page. */
export function ProcedureBanner() {
  const { name, words, asks } = useLive(of, alike);
  const here = useLocation().pathname === "/procedures";
  if (!name || here) return null;
  return (
    <Strip role={asks ? "alert" : "status"}>
      <b>{name}</b>
      <span>{words}</span>
      <Link to="/procedures">{asks ? "Answer" : "Look at it, or stop it"}</Link>
    </Strip>
  );
}
