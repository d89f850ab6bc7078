import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, got, type Schemas } from "../api/client";
import { uncertaintyWords } from "../calibration/calibration";
import { dated, figure } from "../look/format";
import { labelOf } from "../points/points";
import { pointsLooks } from "../points/pointsLooks";
import { Select } from "../parts/Select";
import { Trouble } from "../parts/Window";

type Pair = Schemas["PointPair"];
type Difference = Schemas["PointDifference"];

const Table = styled.table`
  ${pointsLooks}
  .apart {
    font-weight: 700;
  }
`;

/** The test points of a run beside those of another, which is chosen here. */
export function PointsBeside({ run }: { run: string }) {
  const [other, setOther] = useState("");
  const others = useQuery({
    queryKey: ["points-others", run],
    queryFn: () => got(api.GET("/api/runs/{key}/points/others", { params: { path: { key: run } } })),
  });
  const beside = useQuery({
    enabled: other !== "",
    queryKey: ["points-beside", run, other],
    queryFn: () =>
      got(api.GET("/api/runs/{key}/points/beside/{other}", { params: { path: { key: run, other } } })),
  });
  if (!others.data?.length) return null;
  const options = [
    { value: "", text: "no other run" },
    ...others.data.map((one) => ({
      value: one.id,
      text: [one.name, one.item, dated(one.begun_at / 1000)].filter(Boolean).join(", "),
    })),
  ];
  return (
    <div style={{ display: "grid", gap: 8, marginTop: 14 }}>
      <Select label="Beside the points of" value={other} options={options} onChange={setOther} width={420} />
      {beside.isError && <Trouble>{beside.error.message}</Trouble>}
      {beside.data && (
        <div style={{ overflowX: "auto" }}>
          <Differences pairs={beside.data.pairs} />
        </div>
      )}
    </div>
  );
}

/** How far the other run's points lie from this one's. */
export function Differences({ pairs }: { pairs: readonly Pair[] }) {
  const channels = new Map(
    pairs.flatMap((pair) => (pair.channels ?? []).map((one) => [one.id, one] as const)),
  );
  return (
    <>
      <Table aria-label="Points beside those of the other run">
        <thead>
          <tr>
            <th className="text">Point</th>
            {[...channels.values()].map((one) => (
              <th key={one.id}>{labelOf(one)}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {pairs.map((pair, index) => (
            <tr key={index}>
              <td className="text">
                {pair.name}
                {pair.first == null && <small>only in the other run</small>}
                {pair.second == null && <small>only in this run</small>}
              </td>
              {[...channels.keys()].map((id) => (
                <Cell key={id} one={pair.channels?.find((found) => found.id === id)} />
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
      <p style={{ color: "var(--quiet)", fontSize: 13 }}>
        The other run’s mean less this one’s; ± its uncertainty, k = 2, where certificates state one. What is
        larger is bold. Uncertainties of both are taken for independent: of one instrument they are rather too
        wide.
      </p>
    </>
  );
}

const signed = (value: number, decimals: number): string => {
  const rounded = Number(value.toFixed(decimals));
  const text = figure(rounded || 0, decimals); // nothing has no sign
  return rounded > 0 ? `+${text}` : text;
};

function Cell({ one }: { one: Difference | undefined }) {
  if (!one) return <td>–</td>;
  const decimals = one.decimals + 1;
  const of = (value: number | null | undefined): string => (value == null ? "–" : figure(value, decimals));
  return (
    <td className={one.finding === "apart" ? "apart" : undefined}>
      {one.difference == null ? "–" : signed(one.difference, decimals)}
      {one.expanded != null && ` ± ${uncertaintyWords(one.expanded)}`}
      <small>
        {of(one.first)} → {of(one.second)}
      </small>
    </td>
  );
}
