import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Slider, SliderThumb, SliderTrack } from "react-aria-components";
import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip } from "../parts/Button";
import { Trouble } from "../parts/Window";

const Page = styled.div`
  padding: 4px 18px 24px;
  display: grid;
  gap: 14px;
  h1 {
    font-size: 22px;
    padding-top: 6px;
  }
  > p {
    max-width: 74ch;
  }
  ul {
    list-style: none;
    padding: 0;
    margin: 0;
    background: var(--panel);
    border: 1px solid var(--hairline);
    border-radius: var(--radius);
  }
  li {
    display: grid;
    grid-template-columns: 180px minmax(0, 1fr);
    gap: 6px 16px;
    padding: 9px 16px;
    align-items: center;
    border-bottom: 1px solid var(--ruling);
  }
  .faults {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .react-aria-SliderTrack {
    width: 260px;
    height: 24px;
    position: relative;
    &::before {
      content: "";
      position: absolute;
      left: 0;
      right: 0;
      top: 11px;
      height: 2px;
      background: var(--quiet);
    }
  }
  .react-aria-SliderThumb {
    width: 18px;
    height: 18px;
    border-radius: 50%;
    background: var(--action);
    top: 50%;
  }
  @media (max-width: 719px) {
    li {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

/** The demo's panel: faults that the simulated instruments are to show, and the loop's valve. */
export function SimulatedPage() {
  const client = useQueryClient();
  const { run, trouble } = useAct();
  const [valve, setValve] = useState<number | null>(null);
  const found = useQuery({
    queryKey: ["demo"],
    queryFn: () => got(api.GET("/api/demo")),
    refetchInterval: 2000,
    retry: false,
  });
  const order = (part: Partial<Schemas["StandInOrder"]>): void => {
    const body = { stand_in: "", fault: "", on: true, key: false, valve_by_itself: false, ...part };
    run(async () => client.setQueryData(["demo"], await got(api.POST("/api/demo", { body }))));
  };
  if (!found.data)
    return (
      <div style={{ padding: "24px 40px" }}>
        <h1>Simulated instruments</h1>
        <p>{found.isError ? found.error.message : "Asking the simulated instruments …"}</p>
      </div>
    );
  const loop = found.data;
  return (
    <Page>
      <h1>Simulated instruments</h1>
      <p>
        They are on ports of their own, as real as the operating system makes them. Give one a fault and see
        on the Bench where its reading path breaks.
      </p>
      {trouble && <Trouble>{trouble}</Trouble>}
      <div style={{ display: "flex", alignItems: "center", gap: 14 }}>
        <b>Valve of the loop</b>
        <Slider
          aria-label="Valve of the loop, % open"
          value={valve ?? Math.round(loop.valve * 100)}
          onChange={(value) => setValve(value as number)}
          onChangeEnd={(value) => {
            order({ valve: (value as number) / 100 });
            setValve(null);
          }}
        >
          <SliderTrack>
            <SliderThumb />
          </SliderTrack>
        </Slider>
        <span>{valve ?? Math.round(loop.valve * 100)} % open</span>
        <Chip onPress={() => order({ valve_by_itself: true })}>step by itself</Chip>
        <Chip $chosen={loop.empty} aria-pressed={loop.empty} onPress={() => order({ empty: !loop.empty })}>
          pipe empty
        </Chip>
      </div>
      <ul>
        {loop.stand_ins.map((one) => (
          <li key={one.name} data-testid={`stand-in-${one.name}`}>
            <b>{one.title}</b>
            <div className="faults">
              {one.can.map((fault) => {
                const on = one.faults.includes(fault);
                return (
                  <Chip
                    key={fault}
                    $chosen={on}
                    aria-pressed={on}
                    onPress={() => order({ stand_in: one.name, fault, on: !on })}
                  >
                    {fault}
                  </Chip>
                );
              })}
              {one.key && (
                <Button
                  style={{ minHeight: 26, padding: "0 10px", fontSize: 12.5 }}
                  onPress={() => order({ stand_in: one.name, key: true })}
                >
                  Press its key
                </Button>
              )}
            </div>
          </li>
        ))}
      </ul>
    </Page>
  );
}
