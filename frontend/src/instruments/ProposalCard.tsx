import { useQuery } from "@tanstack/react-query";
import styled from "styled-components";
import { api, got, type ReadingProposal } from "../api/client";
import { mono } from "../look/theme";
import { Button } from "../parts/Button";

const Card = styled.div`
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 9px 12px;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 14px;
  align-items: center;
  .what {
    font: 600 13.5px/1.5 ${mono};
    overflow-wrap: anywhere;
  }
  .why {
    color: var(--quiet);
    font-size: 13px;
    grid-column: 1;
  }
  button {
    grid-row: 1 / span 2;
    grid-column: 2;
  }
`;

/** A reader in a few words. */
export function readerWords(proposal: ReadingProposal): string {
  const reading = proposal.reading as { patterns?: string[]; reader?: { kind: string; names?: string[] } };
  if (reading.patterns?.length) return reading.patterns.join("\n");
  return proposal.channels.map((channel) => channel.field).join(", ");
}

const NOTHING_SAID: Record<string, string> = {};

/** What the last messages suggest. `wanted`: whether it is asked for; `answers`: to the questions so far. */
export function useProposals(
  key: string,
  changes: Record<string, unknown>,
  wanted: boolean,
  answers: Record<string, string> = NOTHING_SAID,
) {
  const text = JSON.stringify(changes);
  return useQuery({
    queryKey: ["proposals", key, text, answers],
    queryFn: ({ signal }) =>
      got(
        api.POST("/api/instruments/{key}/proposals", {
          signal,
          params: { path: { key } },
          body: { changes: JSON.parse(text) as Record<string, unknown>, answers },
        }),
      ),
    refetchInterval: 3000,
    enabled: wanted,
    retry: false,
    placeholderData: (old) => old,
  });
}

/** A way to read the messages, with its reasons. */
export function ProposalCard({
  proposal,
  onTake,
}: {
  proposal: ReadingProposal;
  onTake: (proposal: ReadingProposal) => void;
}) {
  return (
    <Card data-testid="proposals">
      <span>
        <b>{proposal.title}</b>, reads {proposal.reads} of {proposal.of}
        <span className="what" style={{ display: "block", whiteSpace: "pre-wrap" }}>
          {readerWords(proposal)}
        </span>
      </span>
      <Button $kind="bright" style={{ minHeight: 32 }} onPress={() => onTake(proposal)}>
        Use this pattern
      </Button>
      <span className="why">{proposal.reasons.join("; ")}.</span>
    </Card>
  );
}
