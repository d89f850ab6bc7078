import type { ReactNode } from "react";
import { Button, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import styled from "styled-components";

const Frame = styled(Disclosure)`
  border-top: 1px solid var(--ruling);
  h3 {
    margin: 0;
    font: inherit;
  }
  h3 > button {
    display: flex;
    align-items: baseline;
    gap: 10px;
    width: 100%;
    min-height: 38px;
    padding: 6px 2px;
    border: 0;
    background: none;
    text-align: left;
    cursor: pointer;
    border-radius: 6px;
  }
  h3 > button::before {
    content: "▸";
    flex: none;
    width: 12px;
    color: var(--quiet);
  }
  &[data-expanded] h3 > button::before {
    content: "▾";
  }
  h3 > button[data-focus-visible] {
    outline: 3px solid var(--action);
  }
  .title {
    flex: none;
    width: 118px;
    color: var(--quiet);
  }
  .summary {
    flex: 1;
    min-width: 0;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  .body {
    display: grid;
    gap: 12px;
    padding: 4px 0 14px 22px;
  }
  @media (max-width: 560px) {
    .title {
      width: 84px;
    }
    .body {
      padding-left: 0;
    }
  }
`;

export interface FoldProps {
  title: string;
  /** What is chosen in it, in a line. */
  summary: string;
  open?: boolean;
  children: ReactNode;
}

/** A part of a form that is folded away, with what is chosen in it. */
export function Fold({ title, summary, open = false, children }: FoldProps) {
  return (
    <Frame defaultExpanded={open}>
      <Heading level={3}>
        <Button slot="trigger">
          <span className="title">{title}</span>
          <span className="summary">{summary}</span>
        </Button>
      </Heading>
      <DisclosurePanel>
        <div className="body">{children}</div>
      </DisclosurePanel>
    </Frame>
  );
}
