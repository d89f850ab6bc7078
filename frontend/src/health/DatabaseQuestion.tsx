import { useMutation, useQueryClient } from "@tanstack/react-query";
import styled from "styled-components";
import { api, got, type Health } from "../api/client";
import { moment } from "../look/format";
import { Button } from "../parts/Button";
import { Trouble } from "../parts/Window";

type Asked = NonNullable<Health["question"]>;

const Question = styled.section`
  background: var(--panel);
  border: 2px solid var(--action);
  border-radius: var(--radius);
  padding: 14px 18px;
  h2 {
    font-size: 17px;
    margin: 0 0 6px;
  }
  p {
    margin: 0 0 8px;
    max-width: 76ch;
  }
  .answers {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    margin-top: 12px;
  }
`;

/** Asks whose set-ups are right, after a database that knew less was filled from the bench. */
export function DatabaseQuestion({ question }: { question: Asked }) {
  const client = useQueryClient();
  const answer = useMutation({
    mutationFn: (take: "bench" | "database") => got(api.POST("/api/health/question", { body: { take } })),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <Question aria-label="A question about the database">
      <h2>Is this the right database?</h2>
      <p>
        It knew less than this bench ({moment(question.at / 1000)}): it may be another database, or an older
        copy. What the bench was using was put into it.
      </p>
      <p>It did not know: {question.filled.join(", ")}.</p>
      {question.out_of_use.length > 0 && (
        <p>It had in use, and the bench had not: {question.out_of_use.join(", ")}.</p>
      )}
      {answer.error && <Trouble>{answer.error.message}</Trouble>}
      <div className="answers">
        <Button $kind="bright" isDisabled={answer.isPending} onPress={() => answer.mutate("bench")}>
          Keep the bench’s set-ups
        </Button>
        {question.had > 0 && (
          <Button isDisabled={answer.isPending} onPress={() => answer.mutate("database")}>
            Take the {question.had} that the database had
          </Button>
        )}
      </div>
    </Question>
  );
}
