import { useState } from "react";
import { api, got } from "../api/client";
import { useAct } from "../api/useAct";
import { figure } from "../look/format";
import { Button } from "../parts/Button";
import { Fold } from "../parts/Fold";
import { useForm } from "../parts/formFields";
import { NumberEntry } from "../parts/NumberEntry";
import { Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Trouble";
import { CalibrationFields } from "../instruments/CalibrationFields";
import { type Calibration, type Certificate, type Fit, FITS, uncertaintyWords } from "./calibration";

export interface CorrectionPanelProps {
  run: string;
  found: Calibration;
  fit: Fit;
  degree: number;
  onFit: (fit: Fit, degree: number) => void;
  onTaken: (sentence: string) => void;
}

/** What the points as found make: the correction, what it leaves, and the way into the set-up. */
export function CorrectionPanel({ run, found, fit, degree, onFit, onTaken }: CorrectionPanelProps) {
  const before = found.before.certificate ?? null;
  const [certificate, setCertificate] = useState<Certificate | null>(before);
  const act = useAct();
  const fields = useForm();
  const { correction, unit, decimals } = found;
  const expanded = correction?.expanded;
  const take = (): void =>
    act.run(async () => {
      const saved = await got(api.POST("/api/run/correction", { body: { run, fit, degree, certificate } }));
      onTaken(saved.in_force ? `${saved.sentence} Now take the points as left.` : saved.sentence);
    });
  return fields.within(
    <section aria-label="Correction" style={{ display: "grid", gap: 10 }}>
      <h2>Correction</h2>
      {found.taken_in && (
        <p>
          <b>In force:</b> {found.after.correction}.
        </p>
      )}
      <Fields>
        <Select
          label="Made as"
          value={fit}
          options={FITS}
          onChange={(next) => onFit(next, degree)}
          width={230}
        />
        {fit === "polynomial" && (
          <NumberEntry
            label="Degree"
            value={degree}
            onValue={(next) => onFit(fit, next ?? 2)}
            least={1}
            most={6}
            whole
            width={80}
          />
        )}
      </Fields>
      {correction ? (
        <p>
          Leaves at most{" "}
          <b>
            {figure(correction.largest, decimals + 2)} {unit}
          </b>{" "}
          at the points
          {correction.residual_sd != null && `, standard deviation ${correction.residual_sd.toPrecision(2)}`}.
          {expanded != null && (
            <>
              {" "}
              With the reference’s own uncertainty:{" "}
              <b>
                ± {uncertaintyWords(expanded)} {unit}
              </b>{" "}
              (k = 2).
            </>
          )}
        </p>
      ) : (
        <p style={{ color: "var(--quiet)" }}>{found.no_correction}</p>
      )}
      {found.before.correction && (
        <p style={{ color: "var(--quiet)" }}>
          It takes the place of the one before: {found.before.correction}.
        </p>
      )}
      <Fold title="Certificate" summary={certificate?.certificate ?? "none"}>
        <CalibrationFields calibration={certificate} unit={unit} onChange={setCertificate} />
      </Fold>
      {act.trouble && <Trouble>{act.trouble}</Trouble>}
      <Fields>
        <Button
          $kind={found.taken_in ? "quiet" : "bright"}
          onPress={take}
          isDisabled={!correction || act.busy || fields.wrong !== ""}
        >
          {found.taken_in ? "Take this one in instead" : "Take the correction in"}
        </Button>
        {expanded != null && (
          <Button
            onPress={() =>
              setCertificate({
                ...(certificate ?? BLANK),
                expanded: Number(uncertaintyWords(expanded)),
                coverage: 2,
              })
            }
          >
            ± {uncertaintyWords(expanded)} into the certificate
          </Button>
        )}
      </Fields>
    </section>,
  );
}

const BLANK: Certificate = {
  asset: "",
  serial: "",
  certificate: "",
  range: "",
  uncertainty: "",
  coverage: 2,
};
