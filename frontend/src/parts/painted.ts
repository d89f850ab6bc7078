/** Milliseconds after which what waits for the first picture comes anyway: a page nobody looks at paints none. */
const AT_LATEST = 300;

let picture: Promise<void> | null = null;

/** Ends when the page has been painted for the first time since this was asked: the digits stand before what is heavy is fetched. */
export const painted = (): Promise<void> =>
  (picture ??= new Promise((resolve) => {
    setTimeout(resolve, AT_LATEST);
    requestAnimationFrame(() => setTimeout(resolve));
  }));
