import { Component, type ReactNode } from "react";
import { Button } from "./Button";

/** Where a page fails of itself: the places above stay, and what happened is said. Logging is not touched by it. */
export class Guard extends Component<{ place: string; children: ReactNode }, { failed: string; at: string }> {
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

  override render(): ReactNode {
    if (!this.state.failed) return this.props.children;
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
