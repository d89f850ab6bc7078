import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Link, Route, Routes } from "react-router";
import { Routed } from "../routed.test-setup";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Instrument, Setup, Stage } from "../api/client";
import {
  channelPart,
  framing,
  instrument,
  port,
  previewRow,
  query,
  serve,
  stage,
  told,
  well,
  allWithin,
  pick,
  hear,
} from "../fixtures.test-setup";
import { noLimits } from "./limits";
import { queries } from "../api/queries";
import { AddPage } from "./AddPage";
import { InstrumentsPage } from "./InstrumentsPage";
import { SetupPage } from "./SetupPage";

const setup: Setup = {
  format: 1,
  instrument: told({ id: "loop-flow-meter", name: "Loop flow meter" }),
  link: {
    kind: "serial", port: "port 3", baud: 9600, data_bits: 8, parity: "none", stop_bits: 1, flow_control: "none", rts: "on",
    dtr: "on", rs485: null, character_gap_ms: 0, command_gap_ms: 0, sends_end: null, echo: false,
  },
  framing: framing(),
  identity: null, start: [], release: [],
  query: [query()],
  listen: null,
  command: [], curve: [],
  channel: [
    channelPart({ limits: { ...noLimits, low: 60, high: 200 } }),
  ],
}; // prettier-ignore

const form = {
  key: "loop-flow-meter", version: 3, saved_at: 0, text: "[instrument]", setup,
  given: { link: { port: "port 3" }, query: [{ id: "flow", send: "FL?\r", patterns: ["FL=<flow>"] }] },
}; // prettier-ignore

const rows = [
  previewRow(),
  previewRow({
    message: "FL=---",
    fields: {},
    why: "stops at character 4: a number (flow) was expected, “-” came",
    column: 4,
    spans: [],
    pattern: null,
  }),
];

const KEY = "/api/instruments/loop-flow-meter";
const answers = {
  [`GET ${KEY}`]: { status: 200, body: form },
  [`POST ${KEY}/preview`]: { status: 200, body: { rows, failures: [], trouble: "" } },
  [`POST ${KEY}/proposals`]: { status: 200, body: { framings: [], readings: [], questions: [], needs: [] } },
  "GET /api/live/tape": { status: 200, body: [] },
};

function bench(instruments: Instrument[]): void {
  const status = {
    at: 0, session: "s", pid: 1, instruments, channels: [], crossings: [], safe: [],
  reactions: [], procedures: [], curves: [], captures: [], destinations: [], overdue: [], version: "0", zone: "", verdict: allWithin, run: null, disk: { free_bytes: 1, hours_left: null },
    ports: [port("port 3", { used_by: ["Loop flow meter"] }), port("port 4")],
  }; // prettier-ignore
  hear({ line: "live", since: 0, why: "", ended: null, status });
}

let client = new QueryClient();

function show(path: string): void {
  client = new QueryClient({ defaultOptions: queries.getDefaultOptions() });
  render(
    <QueryClientProvider client={client}>
      <Routed at={path}>
        <>
          <Link to="/else">Elsewhere</Link>
          <Routes>
            <Route path="/instruments" element={<InstrumentsPage />} />
            <Route path="/instruments/new" element={<AddPage />} />
            <Route path="/instruments/:id" element={<SetupPage />} />
            <Route path="*" element={<p>Somewhere else</p>} />
          </Routes>
        </>
      </Routed>
    </QueryClientProvider>,
  );
}

const broken = (one: Stage): Stage[] => well().map((each) => (each.name === one.name ? one : each));

beforeEach(() => {
  localStorage.clear();
  sessionStorage.clear();
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

describe("adding an instrument", () => {
  it("may begin with a set-up of the library, on the port that was chosen", async () => {
    const found = {
      key: "sounder",
      name: "NMEA sounder",
      about: "A depth sounder.",
      text: "",
      link: { ...setup.link, baud: 4800, port: "not chosen yet" },
    };
    const saved = { key: "nmea-sounder", version: 1, in_force: true, sentence: "Version 1 is in force." };
    const { sent } = serve({
      ...answers,
      "GET /api/library": { status: 200, body: [found] },
      "POST /api/instruments": { status: 201, body: saved },
    }); // prettier-ignore
    bench([]);
    show("/instruments/new?port=port%204");
    await pick("Begin with", "sounder");
    expect(screen.getByText("A depth sounder.")).toBeTruthy();
    expect((screen.getByRole("combobox", { name: "Baud rate" }) as HTMLInputElement).value).toBe("4800");
    await userEvent.click(screen.getByRole("button", { name: "Connect" }));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({
      name: "NMEA sounder",
      like: "sounder",
      link: { port: "port 4", baud: 4800 },
    });
  });
});

describe("the set-up page", () => {
  it("shows five stages, and what a pattern makes of the last messages", async () => {
    serve(answers);
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Readings");
    expect(await screen.findByRole("heading", { name: "Loop flow meter" })).toBeTruthy();
    expect(screen.getByText("all passing")).toBeTruthy();
    for (const name of ["Port", "Bytes", "Messages", "Readings", "Channels"])
      expect(screen.getByTestId(`stage-${name}`)).toBeTruthy();
    expect(await screen.findByText("148.27")).toBeTruthy();
    expect(screen.getByText(/stops at character 4/)).toBeTruthy();
  });

  it("saves only what was changed, and says what became of it", async () => {
    const saved = { key: "loop-flow-meter", version: 4, in_force: true, sentence: "Version 4 is in force." };
    const { sent } = serve({ ...answers, [`PATCH ${KEY}`]: { status: 200, body: saved } });
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Port");
    await pick("Parity", "even");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await screen.findByText("Version 4 is in force.");
    expect(sent).toContainEqual({ changes: { link: { parity: "even" } }, version: 3 });
  });

  it("keeps what was typed when it is refused, and lets go of it when asked to", async () => {
    serve({
      ...answers,
      [`PATCH ${KEY}`]: { status: 400, body: { detail: "This port cannot do 77 baud." } },
    });
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Port");
    const baud = (await screen.findByRole("combobox", { name: "Baud rate" })) as HTMLInputElement;
    await userEvent.clear(baud);
    await userEvent.type(baud, "77");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    expect((await screen.findByRole("alert")).textContent).toBe("This port cannot do 77 baud.");
    expect(baud.value).toBe("77");
    await userEvent.click(screen.getByRole("button", { name: "Discard" }));
    expect((screen.getByRole("combobox", { name: "Baud rate" }) as HTMLInputElement).value).toBe("9600");
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("asks before changes that are not saved are left", async () => {
    serve({ ...answers, "GET /api/demo": { status: 200, body: [] } });
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Port");
    await pick("Parity", "even");
    const bytes = within(screen.getByTestId("stage-Bytes")).getAllByRole("button");
    await userEvent.click(bytes[0] as HTMLElement); // another stage is the same page
    expect(screen.queryByRole("alertdialog")).toBeNull();
    await userEvent.click(screen.getByRole("link", { name: "Elsewhere" }));
    expect(screen.getByRole("alertdialog", { name: "Leave without saving?" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Stay here" }));
    await userEvent.click(screen.getByRole("button", { name: "Discard" }));
    await userEvent.click(screen.getByRole("link", { name: "Elsewhere" }));
    expect(await screen.findByText("Somewhere else")).toBeTruthy();
  });

  it("shows what somebody else saved beside the draft, which stays", async () => {
    const theirs = {
      ...form,
      version: 4,
      setup: { ...form.setup, link: { ...form.setup.link, baud: 19200 } },
    };
    const replies = { ...answers };
    serve(replies);
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Messages");
    const pause = (await screen.findByLabelText("Reply timeout, ms")) as HTMLInputElement;
    fireEvent.change(pause, { target: { value: "750" } });
    serve({ ...answers, [`GET ${KEY}`]: { status: 200, body: theirs } });
    await client.invalidateQueries({ queryKey: ["instrument"] });
    expect((await screen.findByRole("alert")).textContent).toContain(
      "Version 4 was saved meanwhile, by somebody else. It changes link.",
    );
    expect(pause.value).toBe("750");
    const { sent } = serve({
      ...answers,
      [`GET ${KEY}`]: { status: 200, body: theirs },
      [`PATCH ${KEY}`]: { status: 200, body: { key: "loop-flow-meter", version: 5, in_force: true, sentence: "Version 5 is in force." } },
    }); // prettier-ignore
    await userEvent.click(screen.getByRole("button", { name: "keep my changes on top of it" }));
    expect(screen.queryByRole("alert")).toBeNull();
    expect((screen.getByLabelText("Reply timeout, ms") as HTMLInputElement).value).toBe("750");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await screen.findByText("Version 5 is in force.");
    const [patch] = sent.filter((body) => JSON.stringify(body).includes('"version"'));
    expect(patch).toMatchObject({ version: 4 });
    expect(JSON.stringify(patch)).not.toContain("19200");
  });

  it("offers to take a released port back, right where the path breaks", async () => {
    const { sent } = serve({ ...answers, "POST /api/ports/take-back": { status: 204, body: null } });
    const stages = broken(
      stage("Port", "stopped", "released", "The port was released.", "take the port back"),
    );
    bench([instrument({ stages, released: true })]);
    show("/instruments/loop-flow-meter?stage=none");
    const card = await screen.findByTestId("stage-Port");
    await userEvent.click(within(card).getByRole("button", { name: "Take the port back" }));
    await waitFor(() => expect(sent).toContainEqual({ link: "port 3" }));
  });

  it("gives late replies the time that would do", async () => {
    const saved = { key: "loop-flow-meter", version: 4, in_force: true, sentence: "Version 4 is in force." };
    const { sent } = serve({ ...answers, [`PATCH ${KEY}`]: { status: 200, body: saved } });
    const late = stage("Messages", "losses", "3 late", "3 replies came late. Give it more time: 1100 ms would do.", "give it more time");
    bench([instrument({ stages: broken(late) })]);
    show("/instruments/loop-flow-meter?stage=Port");
    await userEvent.click(await screen.findByRole("button", { name: "Give it more time" }));
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await screen.findByText("Version 4 is in force.");
    const patch = sent.find((body) => JSON.stringify(body).includes("give_up_after_s"));
    expect(patch).toEqual({
      changes: { query: [{ id: "flow", send: "FL?\r", patterns: ["FL=<flow>"], give_up_after_s: 1.1 }] },
      version: 3,
    });
  }); // prettier-ignore

  it("opens the search where bytes are not text", async () => {
    serve(answers);
    const odd = stage(
      "Bytes",
      "stopped",
      "not text",
      "Bytes come, but they are not text.",
      "work out the settings",
    );
    bench([instrument({ stages: broken(odd) })]);
    show("/instruments/loop-flow-meter?stage=none");
    await userEvent.click(await screen.findByRole("button", { name: "Work out the settings" }));
    expect(await screen.findByRole("dialog", { name: "Work out the settings" })).toBeTruthy();
    expect((screen.getByLabelText(/Query that only reads/) as HTMLInputElement).value).toBe("FL?\\r");
  });

  it("renames without touching the id", async () => {
    const saved = { key: "loop-flow-meter", version: 4, in_force: true, sentence: "Version 4 is in force." };
    const { sent } = serve({ ...answers, [`PATCH ${KEY}`]: { status: 200, body: saved } });
    bench([instrument()]);
    show("/instruments/loop-flow-meter");
    await userEvent.click(await screen.findByRole("button", { name: "name and group" }));
    const box = screen.getByLabelText("Name");
    await userEvent.clear(box);
    await userEvent.type(box, "Flow, rack 2");
    await userEvent.type(screen.getByRole("combobox", { name: "Group" }), "stand 1");
    await userEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Save" }));
    await waitFor(() =>
      expect(sent).toContainEqual({
        changes: { instrument: { name: "Flow, rack 2", group: "stand 1" } },
        version: 3,
      }),
    );
  });

  it("goes on from the version that it has just saved, with what was typed meanwhile", async () => {
    const saved = { key: "loop-flow-meter", version: 4, in_force: true, sentence: "Version 4 is in force." };
    const { sent } = serve({ ...answers, [`PATCH ${KEY}`]: { status: 200, body: saved } });
    bench([instrument()]);
    show("/instruments/loop-flow-meter?stage=Messages");
    const box = (await screen.findByLabelText("Reply timeout, ms")) as HTMLInputElement;
    fireEvent.change(box, { target: { value: "750" } });
    const query = form.setup.query.map((one) => ({ ...one, give_up_after_s: 0.75 }));
    const next = { ...form, version: 4, setup: { ...form.setup, query } };
    const asked = globalThis.fetch;
    // What is looked at from then on is the new version; it comes when it is let.
    let letCome: () => void = () => undefined;
    const comes = new Promise<void>((resolve) => (letCome = resolve));
    vi.stubGlobal("fetch", async (request: Request) => {
      if (request.method !== "GET" || !request.url.endsWith(KEY)) return asked(request);
      await comes;
      return new Response(JSON.stringify(next), { headers: { "Content-Type": "application/json" } });
    });
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await screen.findByText("Version 4 is in force.");
    fireEvent.change(box, { target: { value: "900" } });
    letCome();
    await act(() => new Promise((done) => setTimeout(done, 50)));
    expect(box.value).toBe("900");
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() =>
      expect(sent.filter((one) => (one as { version?: number }).version === 4)).toHaveLength(1),
    );
    expect(screen.queryByText(/by somebody else/)).toBeNull();
  });

  it("says when there is no such instrument", async () => {
    serve({ [`GET ${KEY}`]: { status: 404, body: { detail: "There is no instrument “x” in use." } } });
    bench([]);
    show("/instruments/loop-flow-meter");
    expect((await screen.findByRole("alert")).textContent).toContain("There is no instrument");
  });
});

describe("the list of instruments", () => {
  const act = async (what: string): Promise<void> => {
    await userEvent.click(screen.getByRole("button", { name: "What can be done with Loop flow meter" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: what }));
  };

  it("names each one's first fault whole, and removes with an undo", async () => {
    const { sent } = serve({
      "DELETE /api/setups/loop-flow-meter": { status: 200, body: { text: "[instrument]" } },
      "POST /api/setups/look": { status: 200, body: { name: "M", reach: "" } },
      "POST /api/setups": { status: 201, body: {} },
    });
    const stages = broken(stage("Bytes", "stopped", "silent", "No bytes for 12 s. The port is open."));
    bench([instrument({ stages })]);
    show("/instruments");
    expect(screen.getByText("No bytes for 12 s. The port is open.")).toBeTruthy();
    await act("Remove");
    expect(await screen.findByText(/was taken off the bench/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(sent).toContainEqual({ text: "[instrument]" }));
  });

  it("says why something could not be done", async () => {
    serve({
      [`POST ${KEY}/read`]: { status: 409, body: { detail: "It cannot be asked. The port was released." } },
    });
    bench([instrument()]);
    show("/instruments");
    await act("Read once");
    expect((await screen.findByRole("alert")).textContent).toContain("It cannot be asked");
  });

  it("says where to begin when there is none", () => {
    bench([]);
    show("/instruments");
    expect(screen.getByText("No instrument yet.")).toBeTruthy();
  });
});

describe("adding an instrument", () => {
  it("takes port and name, and opens its page", async () => {
    const { sent } = serve({
      ...answers,
      "POST /api/instruments": { status: 201, body: { key: "loop-flow-meter", version: 1, in_force: true, sentence: "" } },
    }); // prettier-ignore
    bench([instrument()]);
    show("/instruments/new?port=port%204&baud=2400");
    expect((screen.getByRole("combobox", { name: "Baud rate" }) as HTMLInputElement).value).toBe("2400");
    await userEvent.type(screen.getByLabelText("Name"), "Scale");
    await userEvent.click(screen.getByRole("button", { name: "Connect" }));
    expect(await screen.findByRole("heading", { name: "Loop flow meter" })).toBeTruthy();
    expect(sent[0]).toMatchObject({ name: "Scale", link: { kind: "serial", port: "port 4", baud: 2400 } });
  });

  it("asks for a port first", async () => {
    bench([]);
    show("/instruments/new");
    await userEvent.click(screen.getByRole("button", { name: "Connect" }));
    expect((await screen.findByRole("alert")).textContent).toBe("Choose a port first.");
  });
});
