import { useState } from "react";
import styled from "styled-components";
import { Button, Chip } from "../parts/Button";
import { CardEditor } from "./CardEditor";
import { HOLDS } from "./cardFields";
import { CardList } from "./Cards";
import { added, hasNoElse, moved, neighbour, type Place, removed, replaced } from "./edit";
import { bare, type Card, cardsOf } from "./lines";

const Face = styled.button`
  flex: 1 1 100%;
  display: flex;
  align-items: baseline;
  gap: 12px;
  min-width: 0;
  min-height: 24px;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
`;

const Row = styled.li`
  && {
    flex-wrap: wrap;
  }
  &[data-wrong="true"] {
    border-color: var(--fault);
  }
`;

export interface EditableCardsProps {
  text: string;
  onText: (text: string) => void;
  /** Lines with something wrong, from 1. */
  wrong: ReadonlySet<number>;
}

/** The steps of a procedure as cards that are filled in, moved and added to. The text is changed, and nothing else is kept. */
export function EditableCards({ text, onText, wrong }: EditableCardsProps) {
  // A line that is changed, or a place where a step is added.
  const [open, setOpen] = useState<number | Place | null>(null);
  const cards = cardsOf(text);
  const rows = text.split("\n");
  const change = (next: string): void => {
    setOpen(null);
    onText(next);
  };
  const isAt = (place: Place): boolean => JSON.stringify(open) === JSON.stringify(place);
  const newCard = (place: Place, depth: number) =>
    isAt(place) && (
      <Row key="new" style={{ marginLeft: depth * 34 }}>
        <CardEditor
          words={null}
          onWords={(words) => change(added(text, place, words))}
          onClose={() => setOpen(null)}
        />
      </Row>
    );
  const list = (always: boolean) =>
    cards
      .filter((one) => one.always === always)
      .map((card) => [
        <Row
          key={card.line}
          className={always ? "always" : ""}
          style={{ marginLeft: card.depth * 34 }}
          data-wrong={wrong.has(card.line)}
        >
          <Face
            type="button"
            aria-expanded={open === card.line}
            onClick={() => setOpen(open === card.line ? null : card.line)}
          >
            <span className="verb">{card.verb}</span> <span className="rest">{card.rest}</span>
          </Face>
          {open === card.line && (
            <CardEditor
              key={rows[card.line - 1]}
              words={bare(rows[card.line - 1] ?? "").trim()}
              onWords={(words) => change(replaced(text, card.line, words))}
              onClose={() => setOpen(null)}
            >
              <Moves card={card} cards={cards} text={text} onText={change} onAdd={setOpen} />
            </CardEditor>
          )}
        </Row>,
        newCard({ within: card.line }, card.depth + 1),
        newCard({ otherwise: card.line }, card.depth + 1),
        newCard({ below: card.line }, card.depth),
      ]);
  const end = (place: "steps" | "always", label: string) =>
    newCard(place, 0) || (
      <li style={{ background: "none", border: 0, padding: 0 }}>
        <Button style={{ minHeight: 32 }} onPress={() => setOpen(place)}>
          {label}
        </Button>
      </li>
    );
  return (
    <div>
      <CardList aria-label="Steps">
        {list(false)}
        {end("steps", "Add a step")}
      </CardList>
      <h2 style={{ margin: "14px 0 8px" }}>Always, whatever happens</h2>
      <CardList aria-label="Steps that are always done">
        {list(true)}
        {end("always", "Add what is always done")}
      </CardList>
    </div>
  );
}

interface MovesProps {
  card: Card;
  cards: readonly Card[];
  text: string;
  onText: (text: string) => void;
  onAdd: (place: Place) => void;
}

function Moves({ card, cards, text, onText, onAdd }: MovesProps) {
  const { line } = card;
  const step = (by: -1 | 1, label: string) => (
    <Chip isDisabled={!neighbour(cards, line, by)} onPress={() => onText(moved(text, line, by))}>
      {label}
    </Chip>
  );
  return (
    <>
      {step(-1, "up")}
      {step(1, "down")}
      <Chip onPress={() => onAdd({ below: line })}>add below</Chip>
      {HOLDS.some((kind) => kind === card.verb) && (
        <Chip onPress={() => onAdd({ within: line })}>add within</Chip>
      )}
      {hasNoElse(cards, line) && <Chip onPress={() => onAdd({ otherwise: line })}>add “else”</Chip>}
      <Chip onPress={() => onText(removed(text, line))}>remove</Chip>
    </>
  );
}
