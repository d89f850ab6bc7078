import { useQuery } from "@tanstack/react-query";
import styled from "styled-components";
import { api, got } from "../api/client";

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  img {
    display: block;
    height: 140px;
    max-width: 240px;
    object-fit: contain;
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
  }
  a {
    display: block;
    text-align: center;
  }
`;

/** The pictures that procedures asked for in this run. */
export function RunPictures({ run }: { run: string }) {
  const found = useQuery({
    queryKey: ["run pictures", run],
    queryFn: () => got(api.GET("/api/runs/{key}/pictures", { params: { path: { key: run } } })),
  });
  if (!found.data?.length) return null;
  return (
    <section aria-label="Pictures">
      <h2>Pictures</h2>
      <List>
        {found.data.map((name) => (
          <li key={name}>
            <a href={`/api/runs/${run}/pictures/${name}`} target="_blank" rel="noreferrer">
              <img src={`/api/runs/${run}/pictures/${name}`} alt="" loading="lazy" />
              {name}
            </a>
          </li>
        ))}
      </List>
    </section>
  );
}
