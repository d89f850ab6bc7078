/** What is shown where this browser may not use the bench any more: its session is over, or Tidy Bench has another token. */
export function RefusedPage() {
  return (
    <main style={{ padding: 40, maxWidth: "64ch", display: "grid", gap: 12 }} role="alert">
      <h1 style={{ fontSize: 22 }}>This page may not use the bench any more</h1>
      <p>Its session is over, or Tidy Bench was started with another token. What is being logged goes on.</p>
      <p>
        Open the whole address that Tidy Bench printed when it started, the part after the question mark too;{" "}
        <code>./tidy address</code> prints it again. This page then joins again by itself.
      </p>
    </main>
  );
}
