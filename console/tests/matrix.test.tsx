import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it } from "vitest";

import { brief, usualOf } from "../src/features/profiles/brief";
import { MatrixTable } from "../src/features/profiles/MatrixTable";
import type { Matrix, Row, Value } from "../src/features/profiles/queries";
import { Around } from "./around";

const value = (text: string, whole: unknown = text) => ({ text, value: whole, origin: { line: 3, text: "" } }) as unknown as Value;
const row = (key: string, texts: string[], odd: number[] = []) =>
  ({ key, label: key, group: "code", cells: texts.map((t) => value(t)), odd, differs: new Set(texts).size > 1 }) as unknown as Row;
const column = (name: string) => ({ name, platform_title: name, purpose: "release", blockers: 0, warnings: 0 });
const ROWS = [row("code.links", ["thin", "thin", "full"], [2]), row("code.opens", ["a", "b", "c"])];
const MATRIX = {
  revision: 0,
  columns: ["linux-fair", "macos-fair", "windows-fair"].map(column),
  groups: [{ name: "code", label: "Code" }],
  findings: [],
} as unknown as Matrix;

const focused = () => document.activeElement?.getAttribute("data-at");

it("is walked by keys, and stays inside", async () => {
  render(<MatrixTable matrix={MATRIX} rows={ROWS} title="peatlight" />, { wrapper: Around });
  const user = userEvent.setup();
  screen.getAllByRole("gridcell")[0]!.focus();
  await user.keyboard("{ArrowRight}{ArrowDown}");
  expect(focused()).toBe("1 1");
  await user.keyboard("{End}{ArrowRight}{ArrowDown}");
  expect(focused()).toBe("1 2");
  await user.keyboard("{Control>}{Home}{/Control}{ArrowUp}");
  expect(focused()).toBe("0 0");
});

it("marks the one that is unlike the others, in a word as well as a shape", () => {
  render(<MatrixTable matrix={MATRIX} rows={ROWS} title="peatlight" />, { wrapper: Around });
  const odd = screen.getByLabelText("odd one out").closest("td");
  expect(odd?.getAttribute("data-at")).toBe("0 2");
  expect(odd?.textContent).toContain("full");
});

it("knows no usual value where two are equally often", () => {
  expect(usualOf(row("k", ["a", "a", "b"]))?.text).toBe("a");
  expect(usualOf(row("k", ["a", "b"]))).toBeNull();
});

it.each([
  [value("short"), value("usual"), "short"],
  [value("deep/folder/of/things/one"), value("deep/folder/of/things/two"), "…one"],
  [value("a, b, c, and more", ["lib/a.so", "lib/c.so"]), value("a, b", ["lib/a.so", "lib/b.so"]), "+c.so −b.so"],
  [value("nothing to compare with"), null, "nothing to compare with"],
])("says in few letters what sets a value apart", (cell, usual, said) => {
  expect(brief(cell, usual)).toBe(said);
});
