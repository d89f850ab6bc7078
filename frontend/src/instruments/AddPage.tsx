import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import styled from "styled-components";
import { api, got, type Link as LinkPart, type Port, type SerialPart } from "../api/client";
import { useAct } from "../api/useAct";
import { useLive } from "../live/connection";
import { Button } from "../parts/Button";
import { Entry, Fields, Select } from "../parts/Select";
import { Trouble } from "../parts/Window";
import { freshLink, LinkForm } from "./LinkForm";
import { PortsPanel } from "./PortsPanel";

const Page = styled.main`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 352px;
  gap: 12px;
  padding: 4px 12px 20px;
  align-items: start;
  h1 {
    font-size: 22px;
    padding: 6px 6px 2px;
  }
  @media (max-width: 900px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Panel = styled.section`
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: var(--radius);
  padding: 18px 20px;
  display: grid;
  gap: 16px;
  p {
    max-width: 66ch;
  }
`;

/** What a new instrument is called unless something better is typed. */
export function nameFor(link: LinkPart): string {
  if (link.kind === "tcp") return link.host ? `Instrument at ${link.host}` : "";
  if (link.kind === "udp") return `Instrument on UDP ${link.listen_port}`;
  if (link.kind === "file") return link.path.split("/").pop() ?? "";
  const last = link.port.replace("rfc2217://", "").split("/").pop() ?? "";
  const plain = last.replaceAll("-", " ");
  return link.port.startsWith("simulated/")
    ? plain.charAt(0).toUpperCase() + plain.slice(1)
    : last && `Instrument on ${last}`;
}

const NO_PORTS: Port[] = [];

/** A new instrument: port first; its bytes are shown at once, everything else comes after. */
export function AddPage() {
  const go = useNavigate();
  const [address] = useSearchParams();
  const port = address.get("port") ?? "";
  const [link, setLink] = useState<LinkPart>(() => {
    const fresh = freshLink("serial", port) as SerialPart;
    return { ...fresh, baud: Number(address.get("baud")) || fresh.baud };
  });
  const [seen, setSeen] = useState(port);
  if (port !== seen) {
    setSeen(port);
    setLink({ ...(freshLink("serial", port) as SerialPart), baud: Number(address.get("baud")) || 9600 });
  }
  const [turn, setTurn] = useState(0);
  const [name, setName] = useState("");
  const { run, trouble, busy } = useAct();
  const ports = useLive(({ status }) => status?.ports ?? NO_PORTS);
  const [like, setLike] = useState("");
  const library = useQuery({
    queryKey: ["library"],
    queryFn: () => got(api.GET("/api/library")),
    staleTime: Infinity,
    retry: false,
  });
  const chosen = library.data?.find((one) => one.key === like);
  const begin = (key: string): void => {
    setLike(key);
    const found = library.data?.find((one) => one.key === key);
    // Its settings are taken, the port stays the one that is chosen.
    if (found?.link.kind === "serial")
      setLink({ ...found.link, port: link.kind === "serial" ? link.port : "" });
    else if (found) setLink(found.link);
    setTurn(turn + 1);
  };
  const add = (): void =>
    run(async () => {
      if (link.kind === "serial" && !link.port) throw new Error("Choose a port first.");
      const given = Object.fromEntries(
        Object.entries(link).filter(([, value]) => value !== null && value !== false),
      );
      const saved = await got(
        api.POST("/api/instruments", {
          body: { name: name.trim() || chosen?.name || nameFor(link) || "New instrument", link: given, like },
        }),
      );
      void go(`/instruments/${saved.key}?stage=Bytes`);
    });
  return (
    <Page>
      <h1 style={{ gridColumn: "1 / -1" }}>Add an instrument</h1>
      <Panel>
        <p>
          Say how it is connected and press <b>Connect</b>: Tidy Bench opens the port, sends nothing, and
          shows every byte that comes. Settings not known? Leave them; they can be worked out on the next
          page.
        </p>
        {library.data && library.data.length > 0 && (
          <Fields>
            <Select
              label="Begin with"
              value={like}
              options={[
                { value: "", text: "nothing: just listen" },
                ...library.data.map((one) => ({ value: one.key, text: one.name })),
              ]}
              onChange={begin}
              width={260}
            />
            {chosen && <p style={{ color: "var(--quiet)", flex: "1 1 260px" }}>{chosen.about}</p>}
          </Fields>
        )}
        <LinkForm key={`${seen} ${turn}`} link={link} onChange={setLink} ports={ports} />
        <Entry
          label="Name"
          value={name}
          onChange={setName}
          placeholder={chosen?.name ?? nameFor(link)}
          width={300}
        />
        {trouble && <Trouble>{trouble}</Trouble>}
        <div style={{ display: "flex", gap: 10 }}>
          <Button $kind="bright" isDisabled={busy} onPress={add}>
            Connect
          </Button>
          <Button onPress={() => void go("/instruments")}>Cancel</Button>
        </div>
      </Panel>
      <PortsPanel ports={ports} />
    </Page>
  );
}
