import { expect, it } from "vitest";

import { addressOf } from "../src/features/events/address";
import { ago, bytes, plural } from "../src/ui/format";

it.each([
  [2, "just now"],
  [60, "60 s ago"],
  [45 * 60, "45 min ago"],
  [105 * 60, "1 h 45 min ago"],
  [27 * 3600, "1 day 3 h ago"],
  [9 * 86400, "9 days ago"],
])("says how long ago %i s are", (seconds, said) => {
  const now = Date.parse("2026-11-28T10:00:00Z");
  expect(ago(new Date(now - seconds * 1000).toISOString(), now)).toBe(said);
});

it("says one thing and many", () => {
  expect([plural(1, "problem"), plural(2, "problem"), plural(1200, "file")]).toEqual(["1 problem", "2 problems", "1,200 files"]);
  expect([bytes(999), bytes(1500), bytes(2_500_000, true)]).toEqual(["999 B", "1.5 kB", "+2.5 MB"]);
});

it.each([
  ["build.place", "peatlight#14", "peatlight", "/titles/peatlight/builds/14"],
  ["placement.withdraw", "peatlight#14 on studio", "peatlight", "/titles/peatlight/builds/14"],
  ["run.start", "peatlight run 3", "peatlight", "/titles/peatlight/runs/3"],
  ["key.use", "quillback-2026", "peatlight", "/keys/quillback-2026"],
  ["device.register", "loft-desk", "peatlight", "/titles/peatlight/devices"],
  ["agent.pause", "kiln-1", null, "/agents"],
  ["session.open", "iida@quillback.example", null, undefined],
])("links an event of %s to its page", (act, subject, title, to) => {
  expect(addressOf({ act, subject, title })).toBe(to);
});
