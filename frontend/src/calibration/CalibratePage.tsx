import { Link, useParams } from "react-router";
import type { Channel, RunStatus } from "../api/client";
import { alike, type LiveState, useLive } from "../live/connection";
import { Fact, Facts } from "../parts/Facts";
import { Trouble } from "../parts/Trouble";
import { Sheet } from "../logbook/Logbook";
import { allowedWords } from "./calibration";
import { CalibrationBegin } from "./CalibrationBegin";
import { CalibrationBench } from "./CalibrationBench";

const NONE: Channel[] = [];

const seen = ({ line, status, ended }: LiveState) => ({
  heard: line === "live",
  known: status !== null,
  run: status?.run ?? null,
  channels: status?.channels ?? NONE,
  instruments: status?.instruments ?? null,
  ended,
});

/** Calibrate one channel by points. */
export function CalibratePage() {
  const { channel: id = "" } = useParams();
  const { heard, known, run, channels, instruments, ended } = useLive(seen, alike);
  const channel = channels.find((one) => one.id === id);
  if (!known) return <Sheet role="status">Waiting for the bench …</Sheet>;
  if (!channel)
    return (
      <Sheet>
        <h1>Calibrate</h1>
        <Trouble>There is no channel “{id.slice(0, 80)}” on the bench.</Trouble>
        <p>
          <Link to="/instruments">All instruments</Link>
        </p>
      </Sheet>
    );
  const instrument = instruments?.find((one) => one.id === channel.instrument);
  const mine = run?.calibrates?.channel === id;
  const over = ended?.run.calibrates?.channel === id && !run;
  return (
    <Sheet style={{ maxWidth: 1320 }}>
      <header>
        <div>
          <Link to={`/instruments/${channel.instrument}`}>{instrument?.name ?? channel.instrument}</Link>
          <h1>Calibrate {channel.name}</h1>
        </div>
        {mine && run?.calibrates && <PlanFacts plan={run.calibrates} unit={channel.unit} />}
      </header>
      {over && (
        <p role="status">
          The calibration has ended. <Link to={`/logbook/${ended.run.id}/calibration`}>Its report</Link>
        </p>
      )}
      {!run && <CalibrationBegin key={id} channel={channel} channels={channels} />}
      {run && !mine && (
        <Trouble>
          The run “{run.name}” is on. A calibration is a run of its own: end that one first, on the{" "}
          <Link to="/">Bench</Link>.
        </Trouble>
      )}
      {run && mine && (
        <CalibrationBench
          run={run as RunStatus & { calibrates: NonNullable<RunStatus["calibrates"]> }}
          channel={channel}
          reference={channels.find((one) => one.id === run.calibrates?.reference)}
          heard={heard}
        />
      )}
    </Sheet>
  );
}

function PlanFacts({ plan, unit }: { plan: NonNullable<RunStatus["calibrates"]>; unit: string }) {
  const allowed = allowedWords(plan, unit);
  return (
    <Facts>
      {plan.standard && <Fact name="Reference" text={plan.standard} />}
      {plan.reference_expanded != null && (
        <Fact name="Its uncertainty" text={`± ${plan.reference_expanded} ${unit} (k = 2)`} />
      )}
      {allowed && <Fact name="Allowed" text={allowed} />}
    </Facts>
  );
}
