import { act, renderHook, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { useDraft } from "../src/features/document/useDraft";
import { Around, serve } from "./around";

const DRAFTS = { document: "as saved", revision: 4, draft: null };
const READ = { document: "", findings: [], problems: [] };

/** The service holds one draft, and refuses a text that was written over an older one. */
function drafts(over: { version: number; refuse?: number }) {
  return serve(({ method, path, body }) => {
    if (path.includes("/documents/")) return { ...READ, document: (body as { document: string }).document };
    if (method !== "PUT") return DRAFTS;
    if (over.refuse) return over.refuse;
    over.version += 1;
    return { version: over.version, saved_at: "2026-11-28T10:00:00Z", ...(body as object) };
  });
}

async function opened() {
  const hook = renderHook(() => useDraft("peatlight"), { wrapper: Around });
  await waitFor(() => expect(hook.result.current.text).toBe("as saved"));
  return hook.result;
}

it("keeps what was typed, once for a burst", async () => {
  const asked = drafts({ version: 0 });
  const draft = await opened();
  expect(draft.current.status).toBe("unchanged");
  act(() => draft.current.change("a"));
  act(() => draft.current.change("ab"));
  expect(draft.current.status).toBe("typing");
  await act(() => draft.current.keep());
  expect(draft.current.status).toBe("kept");
  const sent = asked.filter((a) => a.method === "PUT");
  expect(sent.map((a) => (a.body as { document: string }).document)).toEqual(["ab"]);
});

it("says that the draft changed elsewhere, loses nothing, and writes over it only when told", async () => {
  const over: { version: number; refuse?: number } = { version: 0, refuse: 412 };
  drafts(over);
  const draft = await opened();
  act(() => draft.current.change("mine"));
  await act(() => draft.current.keep());
  expect([draft.current.status, draft.current.text]).toEqual(["elsewhere", "mine"]);
  over.refuse = undefined;
  await act(() => draft.current.overwrite());
  expect([draft.current.status, draft.current.text]).toEqual(["kept", "mine"]);
});

it("keeps the text on the page when the service does not answer, and sends it the next time", async () => {
  const over: { version: number; refuse?: number } = { version: 0, refuse: 503 };
  drafts(over);
  const draft = await opened();
  act(() => draft.current.change("mine"));
  await act(() => draft.current.keep());
  expect([draft.current.status, draft.current.text]).toEqual(["failed", "mine"]);
  over.refuse = undefined;
  await act(() => draft.current.keep());
  expect(draft.current.status).toBe("kept");
});
