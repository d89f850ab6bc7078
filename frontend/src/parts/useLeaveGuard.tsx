import { type ReactNode, useEffect } from "react";
import { useBlocker } from "react-router";
import { Button } from "./Button";
import { Actions, Window } from "./Window";

/** Asks before the page is closed over what is not kept. */
export function useCloseGuard(dirty: boolean): void {
  useEffect(() => {
    if (!dirty) return;
    const ask = (event: BeforeUnloadEvent): void => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [dirty]);
}

/** Asks before changes that are not saved are left: by a link, by going back, or by closing the page. */
export function useLeaveGuard(dirty: boolean, what: string): ReactNode {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) => dirty && currentLocation.pathname !== nextLocation.pathname,
  );
  useCloseGuard(dirty);
  if (blocker.state !== "blocked") return null;
  return (
    <Window title="Leave without saving?" open asks onClose={() => blocker.reset()}>
      <p>{what} has changes that are not saved. They are gone when you leave.</p>
      <Actions>
        <Button onPress={() => blocker.proceed()}>Leave without saving</Button>
        <Button $kind="bright" autoFocus onPress={() => blocker.reset()}>
          Stay here
        </Button>
      </Actions>
    </Window>
  );
}
