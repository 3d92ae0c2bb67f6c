import { ActionIcon, Button, Group, TextInput, Tooltip } from "@mantine/core";
import { IconArrowDown, IconArrowUp } from "@tabler/icons-react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { altered } from "../../ui/search";
import { ENDED, type Run } from "./queries";
import { type Row, useLog } from "./useLog";
import "./runs.css";

const HEIGHT = 19;

/** The log: live, of any length; search, first error, a link to each line. */
export function LogView({ title, run, kind }: { title: string; run: Run; kind: { lines: number[]; at: number } | null }) {
  const { pages, look, count } = useLog(title, run);
  const [search, setSearch] = useSearchParams();
  const line = Number(search.get("line") ?? 0);
  const box = useRef<HTMLDivElement>(null);
  const [follow, setFollow] = useState(!line && !ENDED.has(run.state));
  const rows = useVirtualizer({ count, getScrollElement: () => box.current, estimateSize: () => HEIGHT, overscan: 30 });
  const items = rows.getVirtualItems();
  const first = (items[0]?.index ?? 0) + 1;
  const last = (items[items.length - 1]?.index ?? 0) + 1;
  useEffect(() => look(first, last), [first, last, count, look]);
  useEffect(() => {
    if (follow && count) rows.scrollToIndex(count - 1, { align: "end" });
  }, [follow, count]);
  const jump = (to: number) => {
    setFollow(false);
    setSearch((now) => altered(now, { line: String(to) }), { replace: true });
    rows.scrollToIndex(to - 1, { align: "center" });
  };
  useEffect(() => {
    if (line && count >= line) rows.scrollToIndex(line - 1, { align: "center" });
  }, [line, count >= line]);
  useEffect(() => {
    if (kind) jump(kind.lines[kind.at]!);
  }, [kind]);
  return (
    <>
      <Group gap="sm" p="xs" style={{ borderBottom: "1px solid var(--r-line)" }}>
        <Search title={title} run={run} jump={jump} />
        <Button size="compact-xs" variant="default" disabled={!run.first_error} onClick={() => jump(run.first_error)}>
          First error
        </Button>
        <Button size="compact-xs" variant={follow ? "filled" : "default"} onClick={() => setFollow(!follow)} aria-pressed={follow}>
          Follow the end
        </Button>
        <span className="dim" style={{ marginLeft: "auto", fontSize: 12.5 }}>
          {plural(count, "line")} · <a href={`/api/v1/titles/${title}/runs/${run.number}/log.txt`}>Download</a>
        </span>
      </Group>
      <div
        ref={box}
        className="log"
        role="log"
        aria-label="Log"
        tabIndex={0}
        onWheel={(e) => e.deltaY < 0 && setFollow(false)}
        onKeyDown={(e) => ["ArrowUp", "PageUp", "Home"].includes(e.key) && setFollow(false)}
      >
        <div style={{ height: rows.getTotalSize(), position: "relative" }}>
          {items.map((item) => (
            <Line
              key={item.index}
              number={item.index + 1}
              row={pages.row(item.index + 1)}
              top={item.start}
              marked={item.index + 1 === line}
              pick={jump}
              names={run.attempts[0]?.steps.map((s) => s.name) ?? []}
            />
          ))}
        </div>
        {count === 0 && (
          <div className="dim" style={{ padding: 14 }}>
            {run.waits_for || "Nothing was said yet."}
          </div>
        )}
      </div>
    </>
  );
}

interface LineProps {
  number: number;
  row: Row | undefined;
  top: number;
  marked: boolean;
  pick: (line: number) => void;
  names: string[];
}

function Line({ number, row, top, marked, pick, names }: LineProps) {
  return (
    <div className={`line ${row?.[2] ?? ""}${marked ? " marked" : ""}`} style={{ top }}>
      <button
        type="button"
        className="at"
        aria-label={`Link to line ${number}`}
        onClick={() => pick(number)}
        title={row ? `${names[row[1]] ?? ""} after ${(row[0] / 1000).toFixed(1)} s` : undefined}
      >
        {number}
      </button>
      <span className="text">{row?.[3] ?? "…"}</span>
    </div>
  );
}

function Search({ title, run, jump }: { title: string; run: Run; jump: (line: number) => void }) {
  const [text, setText] = useState("");
  const [found, setFound] = useState<{ text: string; numbers: number[]; more: boolean; at: number } | null>(null);
  const go = async (step: number) => {
    if (!text.trim()) return setFound(null);
    if (found?.text === text) {
      const at = (found.at + step + found.numbers.length) % Math.max(1, found.numbers.length);
      setFound({ ...found, at });
      if (found.numbers.length) jump(found.numbers[at]!);
      return;
    }
    const answer = await call<Schemas["SearchOut"]>(
      `/titles/${title}/runs/${run.number}/log/search?text=${encodeURIComponent(text)}&limit=5000`,
    );
    setFound({ text, ...answer, at: 0 });
    if (answer.numbers.length) jump(answer.numbers[0]!);
  };
  return (
    <Group gap={4} wrap="nowrap">
      <TextInput
        aria-label="Search the log"
        placeholder="Search the log"
        size="xs"
        w={180}
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
        onKeyDown={(e) => e.key === "Enter" && void go(e.shiftKey ? -1 : 1)}
      />
      <Tooltip label="The one before (Shift Enter)">
        <ActionIcon variant="default" size="md" aria-label="The one before" onClick={() => void go(-1)}>
          <IconArrowUp size={14} />
        </ActionIcon>
      </Tooltip>
      <Tooltip label="The next one (Enter)">
        <ActionIcon variant="default" size="md" aria-label="The next one" onClick={() => void go(1)}>
          <IconArrowDown size={14} />
        </ActionIcon>
      </Tooltip>
      <span className="dim" style={{ fontSize: 12.5, minWidth: 66 }} role="status">
        {found && (found.numbers.length ? `${found.at + 1} of ${found.numbers.length}${found.more ? "+" : ""}` : "not found")}
      </span>
    </Group>
  );
}
