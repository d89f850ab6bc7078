import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { dated } from "../look/format";
import { mono } from "../look/theme";
import { Chip } from "../parts/Button";
import { Trouble } from "../parts/Window";

const Line = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
  code {
    font: 600 13px ${mono};
  }
  .good {
    color: var(--action);
    font-weight: 600;
  }
  ul {
    flex: 1 0 100%;
    margin: 0;
    padding-left: 18px;
    color: var(--fault);
    font-weight: 600;
    overflow-wrap: anywhere;
  }
`;

/** A fingerprint in groups of four, as one reads it aloud. */
export const grouped = (fingerprint: string): string => fingerprint.match(/.{1,4}/g)?.join(" ") ?? "";

/** The seal that a run got at its end, and whether its files still are what they were. */
export function SealCheck({ run }: { run: string }) {
  const seal = useQuery({
    queryKey: ["seal", run],
    queryFn: () => got(api.GET("/api/runs/{key}/seal", { params: { path: { key: run } } })),
    // It is made a moment after the end.
    retry: 3,
  });
  const [told, setTold] = useState<Schemas["Verified"] | null>(null);
  const act = useAct();
  const check = (): void =>
    act.run(async () => {
      setTold(null);
      setTold(await got(api.POST("/api/runs/{key}/verify", { params: { path: { key: run } } })));
    });
  if (seal.isError) return <p style={{ color: "var(--quiet)" }}>{seal.error.message}</p>;
  if (!seal.data) return null;
  return (
    <Line aria-label="Seal" role="group">
      <span>
        Sealed {dated(seal.data.sealed_at / 1000)}: <code>{grouped(seal.data.fingerprint)}</code>
      </span>
      <Chip onPress={check} isDisabled={act.busy}>
        {act.busy ? "checking …" : "check the seal"}
      </Chip>
      {told && (
        <span role="status" className={told.problems.length ? undefined : "good"}>
          {told.problems.length
            ? `Checked ${dated(told.checked_at / 1000)}: not as it was sealed.`
            : `Checked ${dated(told.checked_at / 1000)}: nothing has changed since.`}
        </span>
      )}
      {told?.taken_out && <span>{told.taken_out}</span>}
      {told && told.problems.length > 0 && (
        <ul>
          {told.problems.map((one) => (
            <li key={one}>{one}</li>
          ))}
        </ul>
      )}
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
    </Line>
  );
}
