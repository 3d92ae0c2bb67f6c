import type { Row, Value } from "./queries";

export interface Usual {
  text: string;
  cell: Value | null;
}

/** What most cells of a row say; null when two or more are said equally often. */
export function usualOf(row: Row): Usual | null {
  const counts = new Map<string, { times: number; cell: Value | null }>();
  for (const cell of row.cells) {
    const text = cell?.text ?? "";
    counts.set(text, { times: (counts.get(text)?.times ?? 0) + 1, cell });
  }
  const [first, second] = [...counts.entries()].sort((a, b) => b[1].times - a[1].times);
  return first && (!second || first[1].times > second[1].times) ? { text: first[0], cell: first[1].cell } : null;
}

const ROOM = 12;

/** A long value in few letters, beginning with what sets it apart from the usual one. */
export function brief(cell: Value | null, usual: Value | null): string {
  const text = cell?.text ?? "";
  if (text.length <= ROOM || !usual) return text;
  if (Array.isArray(cell?.value) && Array.isArray(usual.value)) {
    const [now, then] = [cell.value, usual.value];
    const came = now.filter((item) => !then.includes(item)).map((item) => `+${last(item)}`);
    const went = then.filter((item) => !now.includes(item)).map((item) => `−${last(item)}`);
    const both = [...came, ...went].join(" ");
    return both.length < text.length ? both || text : text;
  }
  let same = 0;
  while (same < text.length && text[same] === usual.text[same]) same += 1;
  return same > 6 ? `…${text.slice(same)}` : text;
}

/** The end of a path says more than its beginning. */
function last(item: string): string {
  const parts = item.replace(/\/$/, "").split("/");
  return parts[parts.length - 1] ?? item;
}
