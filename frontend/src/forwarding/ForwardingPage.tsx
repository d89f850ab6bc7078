import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import styled from "styled-components";
import { api, type Channel, got, said, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { freeId } from "../instruments/commandDraft";
import { useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { editorLooks } from "../parts/editorLooks";
import { useForm } from "../parts/formFields";
import { Trouble } from "../parts/Trouble";
import { useLeaveGuard } from "../parts/useLeaveGuard";
import { DestinationCard } from "./DestinationCard";

export type Destination = Schemas["DestinationPart"];

const Page = styled.section`
  ${editorLooks}
`;

/** A new one: the first channels of the bench, to a port that is to be chosen. */
function fresh(channels: readonly Channel[], taken: readonly Destination[]): Destination {
  const number = taken.length + 1;
  return {
    id: freeId(
      "destination",
      taken.map(({ id }) => id),
    ),
    name: `Destination ${number}`,
    on: true,
    to: { kind: "tcp", host: "127.0.0.1", tcp_port: 4001 },
    channels: channels
      .filter((one) => !one.clock)
      .slice(0, 1)
      .map(({ id }) => id),
    every_s: 0,
    pattern: "",
    missing: "token",
    token: "NaN",
  };
}

/** Corrected values that are handed on to other systems. */
export function ForwardingPage() {
  const form = useQuery({
    queryKey: ["forwarding"],
    queryFn: () => got(api.GET("/api/forwarding")),
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: "always",
  });
  const channels = useLive(({ status }) => status?.channels);
  if (form.error) return <Trouble>{said(form.error)}</Trouble>;
  if (!form.data || !channels)
    return <p style={{ padding: 40, color: "var(--quiet)" }}>Fetching the destinations …</p>;
  return (
    <Editor
      key={form.data.text}
      kept={form.data.destinations.destination ?? []}
      was={form.data.text}
      channels={channels}
    />
  );
}

function Editor({ kept, was, channels }: { kept: Destination[]; was: string; channels: Channel[] }) {
  const client = useQueryClient();
  const [parts, setParts] = useState<Destination[]>(kept);
  const statuses = useLive(({ status }) => status?.destinations) ?? [];
  const { run, trouble, clear, busy } = useAct();
  const fields = useForm();
  const dirty = JSON.stringify(parts) !== JSON.stringify(kept);
  const guard = useLeaveGuard(dirty || fields.wrong !== "", "What you changed in the destinations");
  const keep = (): void =>
    run(async () => {
      await got(
        api.PUT("/api/forwarding", { body: { destinations: { format: 1, destination: parts }, was } }),
      );
      await client.invalidateQueries({ queryKey: ["forwarding"] });
    });
  const sending = statuses.filter(({ state }) => state === "sending").length;
  return fields.within(
    <Page>
      {guard}
      <div className="top">
        <h1>Handed on</h1>
        <span className="state" role="status">
          {dirty ? "not kept yet" : statuses.length ? `${sending} of ${statuses.length} sending` : ""}
        </span>
        <Button isDisabled={!channels.length} onPress={() => setParts([...parts, fresh(channels, parts)])}>
          Add a destination
        </Button>
        {dirty && (
          <Button
            onPress={() => {
              setParts(kept);
              clear();
              fields.reset();
              void client.invalidateQueries({ queryKey: ["forwarding"] });
            }}
          >
            Discard
          </Button>
        )}
        <Button $kind="bright" isDisabled={busy || !dirty || fields.wrong !== ""} onPress={keep}>
          Keep
        </Button>
      </div>
      <p className="note">
        Values as they are here, corrected and zeroed, on to another system while they are measured. A
        destination that is slow or away loses the oldest (for a broker they are stored, a day and 32 MB
        long); reading is never held up by it.
      </p>
      {(trouble || fields.wrong) && <Trouble>{trouble || fields.wrong}</Trouble>}
      {!parts.length && (
        <p style={{ padding: "12px 6px", maxWidth: "62ch" }}>
          <b>None yet.</b> A destination gets the values of chosen channels, with each reading or at a steady
          rate: on a serial port, over TCP or UDP, into a file that grows, by MQTT, or as Modbus registers
          that others read.
        </p>
      )}
      {parts.map((part, index) => (
        <DestinationCard
          key={part.id}
          part={part}
          channels={channels}
          status={dirty ? undefined : statuses.find((one) => one.id === part.id)}
          onPart={(next) => setParts(parts.map((one, n) => (n === index ? next : one)))}
          onRemove={() => setParts(parts.filter((_, n) => n !== index))}
        />
      ))}
    </Page>,
  );
}
