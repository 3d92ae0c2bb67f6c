import { act, render, renderHook, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";

import { LogView } from "../src/features/runs/LogView";
import type { Run } from "../src/features/runs/queries";
import { useLog } from "../src/features/runs/useLog";
import { Around, serve } from "./around";

const run = (more: Partial<Run>) =>
  ({
    number: 7,
    state: "done",
    log_lines: 2500,
    first_error: 0,
    attempts: [{ steps: [{ name: "fetch" }] }],
    waits_for: "",
    ...more,
  }) as Run;

/** Lines `start` and on, each saying its own number. */
function lines(path: string) {
  const query = new URLSearchParams(path.split("?")[1]);
  const start = Number(query.get("start"));
  return { start, rows: Array.from({ length: 1000 }, (_, n) => [n, 0, "", `line ${start + n}`]) };
}

class Stream {
  static open: Stream[] = [];
  private heard = new Map<string, (event: { data: string }) => void>();
  closed = false;
  constructor(readonly address: string) {
    Stream.open.push(this);
  }
  addEventListener(name: string, hear: (event: { data: string }) => void) {
    this.heard.set(name, hear);
  }
  close() {
    this.closed = true;
  }
  say(name: string, data: unknown) {
    this.heard.get(name)?.({ data: JSON.stringify(data) });
  }
}

it("brings each page of a long log once, when it is looked at", async () => {
  const asked = serve((a) => lines(a.path));
  const { result } = renderHook(() => useLog("peatlight", run({})), { wrapper: Around });
  act(() => result.current.look(990, 1010));
  await waitFor(() => expect(result.current.pages.row(1001)?.[3]).toBe("line 1001"));
  expect(result.current.pages.row(1)?.[3]).toBe("line 1");
  act(() => result.current.look(1, 2000));
  expect(asked.map((a) => a.path.match(/start=(\d+)/)?.[1])).toEqual(["1", "1001"]);
});

it("asks again for a page that did not come", async () => {
  let fails = true;
  const asked = serve((a) => (fails ? 503 : lines(a.path)));
  const { result } = renderHook(() => useLog("peatlight", run({})), { wrapper: Around });
  act(() => result.current.look(1, 10));
  await waitFor(() => expect(asked.length).toBeGreaterThan(0));
  fails = false;
  await waitFor(() => {
    act(() => result.current.look(1, 10));
    expect(result.current.pages.row(10)?.[3]).toBe("line 10");
  });
});

it("hears new lines of an open run from where its pages end, and stops with the page", async () => {
  vi.stubGlobal("EventSource", Stream);
  serve(() => ({}));
  const { result, unmount } = renderHook(() => useLog("peatlight", run({ state: "working", log_lines: 3 })), { wrapper: Around });
  const stream = Stream.open.at(-1)!;
  expect(stream.address).toContain("after=3");
  act(() => stream.say("lines", { start: 4, rows: [[9, 0, "", "a fourth"]] }));
  await waitFor(() => expect(result.current.count).toBe(4));
  expect(result.current.pages.row(4)?.[3]).toBe("a fourth");
  unmount();
  expect(stream.closed).toBe(true);
});

it("walks through what a search found, around the end, and says when there is nothing", async () => {
  serve((a) => (a.path.includes("/search") ? { numbers: a.path.includes("warning") ? [3, 40] : [], more: false } : lines(a.path)));
  render(<LogView title="peatlight" run={run({})} kind={null} />, { wrapper: Around });
  const user = userEvent.setup();
  const box = screen.getByLabelText("Search the log");
  await user.type(box, "warning{Enter}");
  expect(await screen.findByText("1 of 2")).toBeDefined();
  await user.click(screen.getByLabelText("The one before"));
  expect(await screen.findByText("2 of 2")).toBeDefined();
  await user.click(screen.getByLabelText("The next one"));
  expect(await screen.findByText("1 of 2")).toBeDefined();
  await user.clear(box);
  await user.type(box, "fog{Enter}");
  expect(await screen.findByText("not found")).toBeDefined();
});

it("offers the first error only where there is one", () => {
  serve((a) => lines(a.path));
  render(<LogView title="peatlight" run={run({ first_error: 0 })} kind={null} />, { wrapper: Around });
  expect(screen.getByRole("button", { name: "First error" }).hasAttribute("disabled")).toBe(true);
});
