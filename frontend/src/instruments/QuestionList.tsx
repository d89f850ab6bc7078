import styled from "styled-components";
import type { ReadingQuestion } from "../api/client";
import { mono } from "../look/theme";
import { Button } from "../parts/Button";

const Card = styled.div`
  border: 1px solid var(--action);
  border-radius: var(--radius);
  padding: 10px 12px;
  display: grid;
  gap: 8px;
  .words {
    font-weight: 600;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: 6px;
  }
  li {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr);
    gap: 2px 12px;
    align-items: center;
  }
  code {
    font: 13px/1.45 ${mono};
    color: var(--quiet);
    overflow-wrap: anywhere;
  }
  button {
    justify-content: flex-start;
    white-space: normal;
    text-align: left;
    min-height: 34px;
  }
  @media (max-width: 719px) {
    li {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

/** What two readings of the same messages leave open: each answer with what one's own messages would give. */
export function QuestionList({
  questions,
  onAnswer,
}: {
  questions: ReadingQuestion[];
  onAnswer: (key: string, choice: string) => void;
}) {
  return (
    <div style={{ display: "grid", gap: 8 }} data-testid="questions">
      {questions.map((question) => (
        <Card key={question.key} role="group" aria-label={question.words}>
          <span className="words">{question.words}</span>
          <ul>
            {question.choices.map((choice) => (
              <li key={choice.key}>
                <Button onPress={() => onAnswer(question.key, choice.key)}>{choice.words}</Button>
                <code>{choice.shown.join("   ")}</code>
              </li>
            ))}
          </ul>
        </Card>
      ))}
    </div>
  );
}
