import { act, renderHook, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { type Counting, count } from "../src/features/listing/count";
import { useListingDraft } from "../src/features/listing/useListingDraft";
import { Around, serve } from "./around";

// The same texts as in tests/core/listing/test_length.py: page and service count alike.
it.each([
  ["Peatlight", 9, 9, 9, 9],
  ["Yövuoro", 7, 7, 7, 8],
  ["e\u0301", 1, 2, 2, 3],
  ["👩‍👩‍👧", 1, 5, 8, 18],
  ["ضوء", 3, 3, 3, 6],
  ["שָׁלוֹם", 4, 7, 7, 14],
  ["한국", 2, 2, 2, 6],
  ["a\r\nb", 3, 4, 4, 4],
  ["", 0, 0, 0, 0],
])("counts %s as each storefront does", (text, graphemes, points, units, bytes) => {
  const ways: Counting[] = ["graphemes", "code-points", "utf16-units", "bytes"];
  expect(ways.map((way) => count(text, way))).toEqual([graphemes, points, units, bytes]);
});

interface Edit {
  file: string;
  path: string[];
  value: string;
}
const DRAFT = {
  base: 3,
  newest: 3,
  version: 0,
  saved_at: null,
  same: true,
  main: "en",
  languages: ["en"],
  texts: [],
  pictures: [],
  others: [],
};

/** The service makes edits in one draft, and refuses those that were made on an older version. */
function drafts(over: { version: number; refuse?: number }) {
  const values: Edit[] = [{ file: "texts/en.toml", path: ["name"], value: "Peatlight" }];
  return serve(({ method, body }) => {
    if (method === "POST") {
      if (over.refuse) return over.refuse;
      over.version += 1;
      for (const edit of (body as { edits: Edit[] }).edits) values.push(edit);
    }
    return { ...DRAFT, version: over.version, values };
  });
}

async function opened() {
  const hook = renderHook(() => useListingDraft("peatlight"), { wrapper: Around });
  await waitFor(() => expect(hook.result.current.draft).not.toBeNull());
  return hook.result;
}

it("sends the last word of each field, once for a burst", async () => {
  const asked = drafts({ version: 0 });
  const hand = await opened();
  expect(hand.current.get("texts/en.toml", ["name"])).toBe("Peatlight");
  act(() => hand.current.set("texts/en.toml", ["name"], "Bog"));
  act(() => hand.current.set("texts/en.toml", ["name"], "Bog light"));
  act(() => hand.current.set("texts/en.toml", ["short"], "Fog."));
  expect([hand.current.status, hand.current.get("texts/en.toml", ["name"])]).toEqual(["typing", "Bog light"]);
  await act(() => hand.current.keep());
  expect([hand.current.status, hand.current.get("texts/en.toml", ["name"])]).toEqual(["kept", "Bog light"]);
  const sent = asked.filter((a) => a.method === "POST").map((a) => (a.body as { edits: Edit[] }).edits.map((e) => e.value));
  expect(sent).toEqual([["Bog light", "Fog."]]);
});

it("keeps on the page what another window's draft stood in the way of, and sends it again", async () => {
  const over: { version: number; refuse?: number } = { version: 0, refuse: 412 };
  drafts(over);
  const hand = await opened();
  act(() => hand.current.set("texts/en.toml", ["name"], "Mine"));
  await act(() => hand.current.keep());
  expect([hand.current.status, hand.current.get("texts/en.toml", ["name"])]).toEqual(["elsewhere", "Mine"]);
  over.refuse = undefined;
  await act(() => hand.current.reload());
  expect([hand.current.status, hand.current.draft?.version]).toEqual(["kept", 1]);
});
