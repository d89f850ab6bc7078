import { Component, type ReactNode } from "react";
import { report } from "../api/errors";
import { Button, Chip } from "./Button";

export interface GuardProps {
  /** Another place is another try. */
  place: string;
  /** A part of a page by its name; the page itself where it is left out. */
  part?: string;
  children: ReactNode;
}

/** Where a page, or a part of one, fails of itself: the rest stays, and what happened is said. Logging is not touched by it. */
export class Guard extends Component<GuardProps, { failed: string; at: string }> {
  override state = { failed: "", at: "" };

  static getDerivedStateFromError(error: unknown): { failed: string } {
    return { failed: error instanceof Error ? error.message : String(error) };
  }

  static getDerivedStateFromProps(
    props: { place: string },
    state: { failed: string; at: string },
  ): { failed: string; at: string } | null {
    // Another place is another try.
    return props.place === state.at ? null : { failed: "", at: props.place };
  }

  override componentDidCatch(error: unknown): void {
    report(error, this.props.part ?? "the page");
  }

  override render(): ReactNode {
    const { part } = this.props;
    if (!this.state.failed) return this.props.children;
    if (part)
      return (
        <p role="alert" style={{ padding: 12, color: "var(--fault)", fontWeight: 600 }}>
          {part} cannot be shown ({this.state.failed}). It is our fault; nothing that is logged depends on it.{" "}
          <Chip onPress={() => this.setState({ failed: "" })}>try again</Chip>
        </p>
      );
    return (
      <div role="alert" style={{ padding: 40, display: "grid", gap: 14, justifyItems: "start" }}>
        <p>
          This page failed ({this.state.failed}). It is our fault. Nothing that is logged depends on it, and a
          run goes on.
        </p>
        <Button $kind="bright" onPress={() => window.location.reload()}>
          Load the page again
        </Button>
      </div>
    );
  }
}
