import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Channel, got, said } from "../api/client";
import { figure, moment } from "../look/format";
import { canBeCalibrated } from "../calibration/calibration";
import { limitsOf, putLimits } from "./limits";
import { LimitFields } from "../instruments/LimitFields";
import { Button } from "../parts/Button";
import { Actions, Trouble, Window } from "../parts/Window";

export interface ChannelWindowProps {
  channel: Channel;
  onClose: () => void;
}

/** One channel, from its readout: zero, limits, and the way to its set-up. */
export function ChannelWindow({ channel, onClose }: ChannelWindowProps) {
  const [limits, setLimits] = useState(() => limitsOf(channel));
  const zero = useMutation({
    mutationFn: (undo: boolean) =>
      got(api.POST("/api/channels/{key}/zero", { params: { path: { key: channel.id }, query: { undo } } })),
  });
  const save = useMutation({ mutationFn: () => putLimits(channel.id, limits) });
  const calculated = channel.instrument === "calculated";
  const trouble = zero.error ?? save.error;
  return (
    <Window title={channel.name} open onClose={onClose} wide>
      {channel.problem && <Trouble>{channel.problem}</Trouble>}
      {calculated ? (
        <p>
          Calculated: <code>{channel.expression}</code>
        </p>
      ) : channel.clock ? (
        <p>
          The device’s own time: how many seconds later than that each message came. In a run’s CSV its column
          has the time itself.
        </p>
      ) : channel.states.length > 0 ? (
        <p>A state: {channel.states.map((word, place) => `${word} (${place})`).join(", ")}.</p>
      ) : (
        <section>
          <h3>Zero</h3>
          <p style={{ margin: "4px 0 8px", color: "var(--quiet)" }}>
            {channel.own_zero
              ? "The instrument zeroes itself when it is told to."
              : channel.zero
                ? `${figure(channel.zero, channel.decimals)} ${channel.unit} is taken off, since ${moment(channel.zeroed_at / 1000)}.`
                : "No zero is set. Zeroing takes off the mean of its last second from now on; what was logged stays."}
          </p>
          <div style={{ display: "flex", gap: 8 }}>
            <Button onPress={() => zero.mutate(false)} isDisabled={zero.isPending}>
              Zero now
            </Button>
            {!channel.own_zero && (
              <Button
                $kind="plain"
                onPress={() => zero.mutate(true)}
                isDisabled={!channel.zeroed_at || zero.isPending}
              >
                Undo
              </Button>
            )}
          </div>
          {zero.data && <p role="status">{zero.data.sentence}</p>}
        </section>
      )}
      <section>
        <h3>Limits{channel.unit && ` in ${channel.unit}`}</h3>
        <LimitFields limits={limits} states={channel.states} onChange={setLimits} />
      </section>
      {trouble && <Trouble>{said(trouble)}</Trouble>}
      {save.data && <p role="status">{save.data.sentence}</p>}
      <Actions>
        <span style={{ marginRight: "auto", alignSelf: "center", display: "flex", gap: 16 }}>
          <Link
            to={calculated ? "/instruments/calculated" : `/instruments/${channel.instrument}?stage=Channels`}
          >
            {calculated ? "Calculated channels" : "Its set-up"}
          </Link>
          {canBeCalibrated(channel) && <Link to={`/calibrate/${channel.id}`}>Calibrate</Link>}
        </span>
        <Button $kind="plain" onPress={onClose}>
          Close
        </Button>
        <Button $kind="bright" onPress={() => save.mutate()} isDisabled={save.isPending}>
          Set limits
        </Button>
      </Actions>
    </Window>
  );
}
