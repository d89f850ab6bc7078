import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type ReactElement, useState } from "react";
import { MemoryRouter, useLocation } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Setup, SetupForm } from "../api/client";
import { NothingYet } from "../bench/NothingYet";
import { chosen, framing, instrument, pick, port, query, serve, told } from "../fixtures.test-setup";
import { nameFor } from "./AddPage";
import { changesOf } from "./draft";
import { FindPort, findOn } from "./FindPort";
import { freshLink, LinkForm } from "./LinkForm";
import { MessagesStage } from "./MessagesStage";
import { PortsPanel, portFacts } from "./PortsPanel";
import { ModemLines } from "./PortStage";
import { LoopBackWindow, SettingsWindow } from "./SearchWindows";
import { SetupText } from "./SetupText";
import { SimulatedPage } from "./SimulatedPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function Where() {
  const { pathname, search } = useLocation();
  return <output data-testid="where">{pathname + search}</output>;
}

const show = (element: ReactElement): void => {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        {element}
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
};

const serial = freshLink("serial", "port 3") as Extract<Setup["link"], { kind: "serial" }>;

const setup = (): Setup => ({
  format: 1,
  instrument: told(),
  link: serial,
  framing: framing(),
  identity: null, start: [], release: [],
  query: [query({ patterns: ["<a>"] })],
  listen: null, channel: [], command: [], curve: [],
}); // prettier-ignore

const form = (): SetupForm => ({
  key: "m", version: 1, saved_at: 0, text: "", setup: setup(),
  given: { link: { port: "port 3" }, query: [{ id: "flow", send: "FL?\r", every_s: 0.2, patterns: ["<a>"] }] },
}); // prettier-ignore

describe("a draft", () => {
  it("sends only what differs", () => {
    const draft = setup();
    expect(changesOf(form(), draft)).toEqual({});
    draft.link = { ...serial, baud: 19200, sends_end: "\r" };
    draft.query = draft.query.map((query) => ({ ...query, every_s: 1 }));
    expect(changesOf(form(), draft)).toEqual({
      link: { baud: 19200, sends_end: "\r" },
      query: [{ id: "flow", send: "FL?\r", every_s: 1, patterns: ["<a>"] }],
    });
  });
  it("takes away what is gone, and sends another kind of link whole", () => {
    const draft = setup();
    draft.query = [];
    draft.link = freshLink("tcp");
    const changes = changesOf(form(), draft);
    expect(changes.query).toEqual([]);
    expect(changes.link).toMatchObject({ kind: "tcp", tcp_port: 4001 });
    const other = form();
    other.setup.identity = { send: "ID?", expect: "", lines: 0, wait_s: 0.6 };
    expect(changesOf(other, setup())).toEqual({ identity: null });
  });
});

describe("finding a port", () => {
  it("takes the one that vanished and came back", () => {
    const first = findOn({ step: "unplug", before: ["a", "b"] }, ["a", "b"]);
    expect(first.step).toBe("unplug");
    const gone = findOn(first, ["a"]);
    expect(gone).toEqual({ step: "plug in", gone: "b", before: ["a"] });
    expect(findOn(gone, ["a"])).toBe(gone);
    expect(findOn(gone, ["a", "c"])).toEqual({ step: "found", name: "c" });
    expect(findOn({ step: "unplug", before: ["a"] }, ["a", "z"])).toEqual({ step: "found", name: "z" });
  });
  it("leads from unplugging to a label", async () => {
    const label = vi.fn();
    const window = (names: string[]) => (
      <FindPort
        ports={names.map((name) => port(name))}
        onClose={() => undefined}
        onLabel={label}
        onAdd={() => undefined}
      />
    );
    const view = render(window(["usb/1", "usb/2"]));
    expect(screen.getByText(/Unplug the adapter now/)).toBeTruthy();
    view.rerender(window(["usb/1"]));
    expect(screen.getByText("usb/2")).toBeTruthy();
    view.rerender(window(["usb/1", "usb/2"]));
    await userEvent.type(screen.getByLabelText(/A label of your own/), "flow, blue");
    await userEvent.click(screen.getByRole("button", { name: "Keep the label" }));
    expect(label).toHaveBeenCalledWith("usb/2", "flow, blue");
  });
});

describe("ports", () => {
  it("say all that is known, who holds them, and what to do when they are forbidden", async () => {
    const ports = [
      port("usb/1209:2303/A7", { product: "USB to serial", maker: "Workshop", usb_ids: "1209:2303", serial_number: "A7", device: "/dev/ttyUSB0" }),
      port("/dev/ttyS0", { holder: "minimal (process 77)" }),
      port("/dev/ttyS1", { remedy: "Join the group that owns it: sudo usermod -aG dialout mira, then log in again." }),
      port("/dev/ttyS2", { used_by: ["Loop flow meter"], label: "flow" }),
    ]; // prettier-ignore
    expect(ports.slice(0, 1).map(portFacts)[0]).toBe(
      "USB to serial, Workshop, USB 1209:2303, serial number A7, today /dev/ttyUSB0",
    );
    show(<PortsPanel ports={ports} />);
    expect(screen.getByText(/Held by minimal \(process 77\)/)).toBeTruthy();
    expect(screen.getByText(/sudo usermod -aG dialout mira/)).toBeTruthy();
    expect(screen.getByText(/used by Loop flow meter/)).toBeTruthy();
    expect(screen.getAllByRole("button", { name: /^add here/ })).toHaveLength(1);
    await userEvent.click(screen.getByRole("button", { name: /^add here/ }));
    expect(screen.getByTestId("where").textContent).toBe("/instruments/new?port=usb%2F1209%3A2303%2FA7");
  });
  it("take a label of the person's own", async () => {
    const { sent } = serve({ "POST /api/ports/label": { status: 204, body: null } });
    show(<PortsPanel ports={[port("/dev/ttyS0")]} />);
    await userEvent.click(screen.getByRole("button", { name: "label /dev/ttyS0" }));
    await userEvent.type(screen.getByLabelText(/A label of your own/), "scale{Enter}");
    await waitFor(() => expect(sent).toEqual([{ name: "/dev/ttyS0", label: "scale" }]));
  });
  it("say what to do when there is none", () => {
    show(<NothingYet ports={[]} onAdd={() => undefined} />);
    expect(screen.getByText("There is no serial port.")).toBeTruthy();
    expect(screen.getByText("Nothing is connected yet")).toBeTruthy();
  });
});

describe("settings", () => {
  it("of every kind of link can be entered", async () => {
    const change = vi.fn();
    const view = render(
      <LinkForm link={serial} onChange={change} ports={[port("port 3", { label: "flow" })]} />,
    );
    expect(chosen("Port")).toBe("“flow” (port 3)");
    await pick("Parity", "even");
    expect(change).toHaveBeenLastCalledWith({ ...serial, parity: "even" });
    await userEvent.click(screen.getByRole("button", { name: "more settings" }));
    await pick("RS-485 direction", "on");
    expect(change).toHaveBeenLastCalledWith({
      ...serial,
      rs485: { before_ms: 0, after_ms: 0, rts_while_sending: "on" },
    });
    await pick("Link", "tcp");
    expect(change).toHaveBeenLastCalledWith(freshLink("tcp"));
    for (const [kind, label] of [["tcp", "Host"], ["udp", "Listen on UDP port"], ["file", "File"]] as const) {
      view.rerender(<LinkForm link={freshLink(kind)} onChange={change} ports={[]} />);
      expect(screen.getByLabelText(label)).toBeTruthy();
    } // prettier-ignore
  });
  it("wait for a port where a copy has none yet", async () => {
    const change = vi.fn();
    render(
      <LinkForm
        link={{ ...serial, port: "not chosen yet (m-2)" }}
        onChange={change}
        ports={[port("port 4")]}
      />,
    );
    expect(chosen("Port")).toBe("choose a port");
    await pick("Port", "port 4");
    expect(change).toHaveBeenLastCalledWith({ ...serial, port: "port 4" });
  });
  it("name a new instrument after what is known", () => {
    expect(nameFor(freshLink("serial", "simulated/sump-sonde"))).toBe("Sump sonde");
    expect(nameFor(freshLink("serial", "/dev/ttyUSB0"))).toBe("Instrument on ttyUSB0");
    expect(nameFor(freshLink("udp"))).toBe("Instrument on UDP 5005");
  });
  it("are worked out with their evidence, and used", async () => {
    const row = { what: "2400 7-E-1", data: "P=4,35", score: 1, words: "all text", bytes_per_s: 0, settings: { baud: 2400 } };
    const search = { id: 4, search: "settings", done: true, progress: 1, sentence: "2400 7-E-1 fits.", rows: [row], found: row };
    const { sent } = serve({ "POST /api/searches": { status: 201, body: search } });
    const use = vi.fn();
    render(<SettingsWindow link={serial} query={"FL?\\r"} onClose={() => undefined} onUse={use} />);
    await userEvent.click(screen.getByRole("button", { name: "Listen, then ask" }));
    expect(sent[0]).toMatchObject({ search: "settings", ports: ["port 3"], query: "FL?\r" });
    await userEvent.click(await screen.findByRole("button", { name: "Use 2400 7-E-1" }));
    expect(use).toHaveBeenCalledWith({ baud: 2400 });
  }); // prettier-ignore
  it("say why a search cannot begin", async () => {
    serve({
      "POST /api/searches": { status: 409, body: { detail: "Another search has this port just now." } },
    });
    render(<LoopBackWindow link={serial} onClose={() => undefined} />);
    await userEvent.click(screen.getByRole("button", { name: "Test" }));
    expect((await screen.findByRole("alert")).textContent).toContain("Another search");
  });
  it("show the modem lines where there are some", () => {
    render(
      <ModemLines instrument={instrument({ modem: { cts: true, dsr: false, dcd: false, ri: false } })} />,
    );
    expect(screen.getByLabelText("Modem lines").textContent).toBe("CTSonDSRoffDCDoffRIoff");
  });
});

const ASKING = { instrumentKey: "m", changes: {} };

describe("messages", () => {
  beforeEach(() => {
    serve({
      "POST /api/instruments/m/proposals": {
        status: 200,
        body: { framings: [], readings: [], questions: [], needs: [] },
      },
    });
  });
  it("change queries as they are written, escapes and all", async () => {
    const change = vi.fn();
    show(<MessagesStage setup={setup()} change={change} instrument={instrument()} {...ASKING} />);
    const box = screen.getByLabelText("Query") as HTMLInputElement;
    expect(box.value).toBe("FL?\\r");
    await userEvent.type(box, "\\n");
    expect(change).toHaveBeenLastCalledWith({ query: [{ ...setup().query[0], send: "FL?\r\n" }] });
    await userEvent.click(screen.getByRole("button", { name: "Add a query" }));
    expect((change.mock.lastCall?.[0] as { query: unknown[] }).query).toHaveLength(2);
    await pick("It talks", "on its own");
    expect(change).toHaveBeenLastCalledWith(expect.objectContaining({ query: [] }));
  });
  it("bring back with one press what another way of talking has taken out", async () => {
    const kept = setup();
    function Draft() {
      const [draft, setDraft] = useState(kept);
      const change = (part: Partial<typeof kept>): void => setDraft({ ...draft, ...part });
      return (
        <>
          <MessagesStage setup={draft} change={change} instrument={instrument()} {...ASKING} />
          <output data-testid="draft">{JSON.stringify(draft)}</output>
        </>
      );
    }
    show(<Draft />);
    await pick("It talks", "on its own");
    expect(screen.getByText(/Its query was removed from the draft\./)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(JSON.parse(screen.getByTestId("draft").textContent ?? "")).toEqual({
      ...kept,
      listen: kept.listen,
    });
    expect(screen.queryByRole("button", { name: "Undo" })).toBeNull();
  });
  it("offer to expect the instrument that answered", async () => {
    const change = vi.fn();
    const known = { ...setup(), identity: { send: "ID?\r", expect: "", lines: 3, wait_s: 0.6 } };
    const said = { lines: ["LOOP FLOW METER", "SERIAL 20417"], expected: "", matches: true };
    show(
      <MessagesStage setup={known} change={change} instrument={instrument({ identity: said })} {...ASKING} />,
    );
    await userEvent.click(screen.getByRole("button", { name: /Session/ }));
    await userEvent.click(screen.getByRole("button", { name: "Expect this one from now on" }));
    expect(change).toHaveBeenLastCalledWith({ identity: { ...known.identity, expect: "SERIAL 20417" } });
  });
});

describe("a set-up as text", () => {
  it("shows every sentence about what is wrong", async () => {
    serve({
      "POST /api/setups/look": { status: 400, body: { detail: "link.bawd: no such key.\nquery: missing." } },
    });
    render(<SetupText text="[instrument]" onClose={() => undefined} onSaved={() => undefined} />);
    await userEvent.click(screen.getByRole("button", { name: "Keep and connect" }));
    expect((await screen.findByRole("alert")).textContent).toBe("link.bawd: no such key.\nquery: missing.");
  });
  it("asks before it opens a file or a computer of the network, and keeps nothing until then", async () => {
    const saved = { key: "m", version: 1, in_force: true, sentence: "Version 1 is in force." };
    const reach = "connects to 10.0.0.5, TCP port 502, and sends there";
    const { sent } = serve({
      "POST /api/setups/look": { status: 200, body: { name: "M", reach } },
      "POST /api/setups": { status: 201, body: saved },
    });
    const done = vi.fn();
    render(<SetupText text="[instrument]" onClose={() => undefined} onSaved={done} />);
    await userEvent.click(screen.getByRole("button", { name: "Keep and connect" }));
    expect((await screen.findByRole("alert")).textContent).toContain(reach);
    expect(done).not.toHaveBeenCalled();
    await userEvent.type(screen.getByLabelText("Set-up (TOML)"), "x");
    expect(screen.queryByRole("alert")).toBeNull(); // another text: it is asked about anew
    await userEvent.click(screen.getByRole("button", { name: "Keep and connect" }));
    await userEvent.click(await screen.findByRole("button", { name: "I agree: keep and connect" }));
    await waitFor(() => expect(done).toHaveBeenCalled());
    expect(sent.at(-1)).toEqual({ text: "[instrument]x", agreed: reach });
  });
  it("lists the versions with what they changed, and takes one up again", async () => {
    const versions = [
      { version: 2, saved_at: 1e15, text: "new", changes: ["- old", "+ new"] },
      { version: 1, saved_at: 1e15, text: "old", changes: [] },
    ];
    serve({ "GET /api/instruments/m/versions": { status: 200, body: versions } });
    show(<SetupText instrumentKey="m" text="new" onClose={() => undefined} onSaved={() => undefined} />);
    await userEvent.click(screen.getByRole("button", { name: "versions, and what changed …" }));
    expect((await screen.findByText(/- old/)).textContent).toBe("- old\n+ new");
    await userEvent.click(screen.getByRole("button", { name: "take up version 1" }));
    expect((screen.getByLabelText("Set-up (TOML)") as HTMLTextAreaElement).value).toBe("old");
  });
  it("says what became of it", async () => {
    const saved = { key: "m", version: 2, in_force: true, sentence: "Version 2 is in force." };
    serve({
      "POST /api/setups/look": { status: 200, body: { name: "M", reach: "" } },
      "POST /api/setups": { status: 201, body: saved },
    });
    const done = vi.fn();
    render(<SetupText text="[instrument]" onClose={() => undefined} onSaved={done} />);
    await userEvent.click(screen.getByRole("button", { name: "Keep and connect" }));
    await waitFor(() => expect(done).toHaveBeenCalledWith("m", "Version 2 is in force."));
  });
});

describe("the demo's panel", () => {
  it("gives a simulated instrument a fault", async () => {
    const one = {
      name: "shaft-pickup",
      title: "Shaft pickup",
      can: ["silent"],
      faults: [],
      key: true,
      overrun: 0,
    };
    const now = { valve: 0.6, empty: false, stand_ins: [one] };
    const { sent } = serve({
      "GET /api/demo": { status: 200, body: now },
      "POST /api/demo": { status: 200, body: { ...now, stand_ins: [{ ...one, faults: ["silent"] }] } },
    });
    show(<SimulatedPage />);
    await userEvent.click(await screen.findByRole("button", { name: "silent" }));
    expect(sent[0]).toMatchObject({ stand_in: "shaft-pickup", fault: "silent", on: true });
    await waitFor(() =>
      expect(screen.getByRole("button", { name: "silent" }).getAttribute("aria-pressed")).toBe("true"),
    );
    await userEvent.click(screen.getByRole("button", { name: "Press its key" }));
    expect(sent[1]).toMatchObject({ key: true });
  });
});
