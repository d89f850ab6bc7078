import { createGlobalStyle } from "styled-components";
import { type ThemeName, variables } from "./theme";

export const GlobalStyle = createGlobalStyle<{ $name: ThemeName }>`
  :root {
    ${({ $name }) => variables($name)}
    color-scheme: ${({ $name }) => ($name === "night" ? "dark" : "light")};
    --radius: 9px;
  }
  *, *::before, *::after { box-sizing: border-box; }
  html, body, #root { height: 100%; }
  body {
    margin: 0;
    background: var(--ground);
    color: var(--ink);
    font: 14px/1.4 "Atkinson Hyperlegible Next Variable", sans-serif;
    font-variant-numeric: tabular-nums;
    -webkit-font-smoothing: antialiased;
  }
  button, input, select, textarea { font: inherit; color: inherit; }
  h1, h2, h3, p { margin: 0; }
  a { color: var(--action); }
  :focus-visible, [data-focus-visible] { outline: 3px solid var(--action); outline-offset: 2px; }
  @media (prefers-reduced-motion: reduce) {
    *, *::before, *::after { transition: none !important; animation: none !important; }
  }
`;
