import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { api, got, type Schemas } from "../api/client";
import { useAct } from "../api/useAct";
import { Button, Chip, ChipLink } from "../parts/Button";
import { Entry, Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { blank, type Plan } from "./plan";

const LAST = "/"; // no plan can be called so
const KEY = ["plans"];

/** The plan itself, without the name that it is kept by. */
function planIn(file: Schemas["PlanFile"]): Plan {
  const own = Object.entries(file).filter(([key, value]) => key in blank && value !== undefined);
  return { ...blank, ...(Object.fromEntries(own) as Partial<Plan>) };
}

export interface PlanChoiceProps {
  plan: Plan;
  /** The name of the plan that was chosen; "" for none. */
  chosen: string;
  onChosen: (name: string, plan: Plan) => void;
}

/** The plans that are kept at this bench: one is taken, kept, brought from a file or removed. */
export function PlanChoice({ plan, chosen, onChosen }: PlanChoiceProps) {
  const client = useQueryClient();
  const [name, setName] = useState(chosen);
  const act = useAct();
  const kept = useQuery({ queryKey: KEY, queryFn: () => got(api.GET("/api/plans")) });
  const all = kept.data ?? [];
  const look = (): Promise<void> => client.invalidateQueries({ queryKey: KEY });
  const choose = (wanted: string): void => {
    const found = all.find((one) => one.plan === wanted);
    if (!found) return;
    setName(wanted);
    onChosen(wanted, { ...planIn(found), item: plan.item });
  };
  const keep = (): void =>
    act.run(async () => {
      // The test item is this run's own: a plan must not put an old one under the next run.
      const body = { ...plan, item: "" };
      await got(api.PUT("/api/plans/{name}", { params: { path: { name: name.trim() } }, body }));
      await look();
      onChosen(name.trim(), plan);
    });
  const remove = (): void =>
    act.run(async () => {
      await got(api.DELETE("/api/plans/{name}", { params: { path: { name: chosen } } }));
      await look();
      onChosen("", plan);
    });
  const bring = (files: FileList | null): void =>
    act.run(async () => {
      const file = files?.[0];
      if (!file) return;
      const brought = await got(api.POST("/api/plans", { body: { text: await file.text() } }));
      await look();
      setName(brought.plan);
      onChosen(brought.plan, { ...planIn(brought), item: plan.item || brought.item });
    });
  return (
    <>
      <Fields>
        <Select
          label="Take a plan"
          value={chosen || LAST}
          options={[{ value: LAST, text: "as the last run" }, ...all.map((one) => one.plan)]}
          onChange={choose}
          width={240}
        />
        <FileTrigger onSelect={bring}>
          <Button>From a file</Button>
        </FileTrigger>
        {chosen && (
          <>
            <ChipLink href={`/api/plans/${encodeURIComponent(chosen)}/file`} download>
              export
            </ChipLink>
            <Chip onPress={remove}>remove</Chip>
          </>
        )}
      </Fields>
      <Fields>
        <Entry
          label="Keep this plan as"
          value={name}
          onChange={(next) => setName(next.replaceAll("/", "").slice(0, 80))}
          width={240}
          placeholder="for example: Acceptance"
        />
        <Button onPress={keep} isDisabled={!name.trim() || !plan.name.trim() || act.busy}>
          {all.some((one) => one.plan === name.trim()) ? "Replace" : "Keep"}
        </Button>
      </Fields>
      {(act.trouble || kept.error) && <Trouble>{act.trouble || kept.error?.message}</Trouble>}
    </>
  );
}
