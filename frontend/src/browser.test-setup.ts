/** What jsdom lacks and the components ask for. */

Object.assign(globalThis, {
  CSS: { escape: (text: string) => text.replace(/[^\w-]/g, (char) => `\\${char}`) },
});
