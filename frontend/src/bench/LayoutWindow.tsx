import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { said } from "../api/client";
import { Link } from "react-router";
import { Button, Chip } from "../parts/Button";
import { Entry } from "../parts/Select";
import { Actions, Trouble, Window } from "../parts/Window";
import { type Layout, shown } from "./layout";
import type { Bare } from "./lanes";
import { layouts, type NamedLayout, removeLayout, saveLayout } from "./useLayout";

export interface LayoutWindowProps {
  layout: Layout;
  channels: Bare[];
  onLayout: (layout: Layout) => void;
  onReset: () => void;
  onClose: () => void;
}

/** Layouts by name, channels that are hidden, and everything as it was. */
export function LayoutWindow({ layout, channels, onLayout, onReset, onClose }: LayoutWindowProps) {
  const [name, setName] = useState("");
  const client = useQueryClient();
  const saved = useQuery({ queryKey: ["layouts"], queryFn: layouts });
  const after = (): void => void client.invalidateQueries({ queryKey: ["layouts"] });
  const save = useMutation({ mutationFn: () => saveLayout(name.trim(), layout), onSuccess: after });
  const [removed, setRemoved] = useState<NamedLayout | null>(null);
  const remove = useMutation({
    mutationFn: (one: NamedLayout) => removeLayout(one.name),
    onSuccess: (_, one) => {
      setRemoved(one);
      after();
    },
  });
  const undo = useMutation({
    mutationFn: (one: NamedLayout) => saveLayout(one.name, one.data),
    onSuccess: () => {
      setRemoved(null);
      after();
    },
  });
  const out = channels.filter((channel) => layout.hidden.includes(channel.id));
  const trouble = saved.error ?? save.error ?? remove.error ?? undo.error;
  return (
    <Window title="Layout of the Bench" open onClose={onClose}>
      <section>
        <h3>Hidden channels</h3>
        {out.length ? (
          <div style={{ display: "flex", flexWrap: "wrap", gap: 6, marginTop: 6 }}>
            {out.map((channel) => (
              <Chip key={channel.id} onPress={() => onLayout(shown(layout, channel.id, channel.clock))}>
                show {channel.name}
              </Chip>
            ))}
          </div>
        ) : (
          <p style={{ color: "var(--quiet)" }}>None. A lane’s unit opens what can be done to it.</p>
        )}
      </section>
      <section>
        <h3>Saved layouts</h3>
        {saved.data?.length === 0 && <p style={{ color: "var(--quiet)" }}>None yet.</p>}
        {saved.data?.map((one) => (
          <div key={one.name} style={{ display: "flex", gap: 8, alignItems: "center", marginTop: 6 }}>
            <b style={{ flex: 1, overflow: "hidden", textOverflow: "ellipsis" }}>{one.name}</b>
            <Chip onPress={() => onLayout(one.data)}>use</Chip>
            <Link to={`/?layout=${encodeURIComponent(one.name)}`} onClick={onClose}>
              link
            </Link>
            <Chip aria-label={`Remove ${one.name}`} onPress={() => remove.mutate(one)}>
              Remove
            </Chip>
          </div>
        ))}
        {removed && (
          <p role="status" style={{ marginTop: 6 }}>
            “{removed.name}” was removed for everyone at this bench.{" "}
            <Chip onPress={() => undo.mutate(removed)}>Undo</Chip>
          </p>
        )}
      </section>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) save.mutate();
        }}
        style={{ display: "flex", gap: 8, alignItems: "end" }}
      >
        <Entry label="Save this one as" value={name} onChange={setName} width="100%" />
        <Button type="submit" isDisabled={!name.trim() || save.isPending}>
          Save
        </Button>
      </form>
      {save.isSuccess && <p role="status">Saved. Everyone at this bench can use it.</p>}
      {trouble && <Trouble>{said(trouble)}</Trouble>}
      <Actions>
        <Button $kind="plain" onPress={onReset}>
          Reset layout
        </Button>
        <Button $kind="bright" onPress={onClose}>
          Close
        </Button>
      </Actions>
    </Window>
  );
}
