import { type ReactNode, useState } from "react";
import { Dialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import styled from "styled-components";

export { Trouble } from "./Trouble";

const Overlay = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 20;
  display: flex;
  align-items: flex-start;
  justify-content: center;
  padding: 12vh 16px 16px;
  background: rgba(8, 20, 15, 0.42);
  overflow: auto;
`;

const Panel = styled(Modal)<{ $wide?: boolean }>`
  width: min(100%, ${({ $wide }) => ($wide ? "720px" : "460px")});
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  box-shadow: 0 12px 40px rgba(0, 0, 0, 0.25);
  .react-aria-Dialog {
    padding: 20px 22px;
    outline: none;
    display: grid;
    gap: 14px;
  }
  h2 {
    font-size: 19px;
  }
`;

/** The row of buttons at the end of a window. */
export const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  justify-content: flex-end;
  gap: 10px;
  margin-top: 4px;
`;

export interface WindowProps {
  title: string;
  open: boolean;
  onClose: () => void;
  asks?: boolean;
  wide?: boolean;
  children: ReactNode;
}

/** A window over the page. */
export function Window({ title, open, onClose, asks, wide, children }: WindowProps) {
  // What was typed is not thrown away by a click beside it.
  const [typed, setTyped] = useState(false);
  return (
    <Overlay isOpen={open} onOpenChange={(next) => !next && onClose()} isDismissable={!typed}>
      <Panel $wide={wide}>
        <Dialog role={asks ? "alertdialog" : "dialog"}>
          <Heading slot="title" level={2}>
            {title}
          </Heading>
          <div style={{ display: "contents" }} onInput={() => setTyped(true)}>
            {children}
          </div>
        </Dialog>
      </Panel>
    </Overlay>
  );
}
