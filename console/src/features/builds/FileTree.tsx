import { Button, Group, TextInput } from "@mantine/core";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef, useState } from "react";

import { bytes, plural } from "../../ui/format";
import { Answer, Digest } from "../../ui/parts";
import { useFiles } from "./queries";
import { type File, type Line, lines, nest } from "./tree";

const ROW = 30;

/** The files of a build as a tree with sizes; only the rows that are seen are drawn. */
export function FileTree({ title, number, ready }: { title: string; number: number; ready: boolean }) {
  const files = useFiles(title, number, ready);
  if (!ready)
    return (
      <div className="dim" style={{ padding: 14 }}>
        The files are listed when the upload is complete.
      </div>
    );
  return (
    <Answer of={files} rows={8}>
      {(data) => <Tree files={data.files} />}
    </Answer>
  );
}

function Tree({ files }: { files: File[] }) {
  const [filter, setFilter] = useState("");
  const [open, setOpen] = useState<Set<string>>(new Set());
  const root = useMemo(() => nest(files), [files]);
  const shown = useMemo(() => {
    const wanted = filter.trim().toLowerCase();
    if (!wanted) return lines(root, open);
    const found = files.filter((f) => f.path.toLowerCase().includes(wanted));
    return found.map((f): Line => ({ key: f.path, name: f.path, depth: 0, size: f.size, count: 0, file: f }));
  }, [root, open, filter, files]);
  const folders = () => new Set(files.flatMap((f) => [...f.path.matchAll(/\//g)].map((m) => f.path.slice(0, m.index + 1))));
  const toggle = (key: string) => setOpen((was) => new Set(was.has(key) ? [...was].filter((k) => k !== key) : [...was, key]));
  return (
    <>
      <Group gap="sm" p="sm">
        <TextInput
          aria-label="Find files"
          placeholder="Find files"
          size="xs"
          value={filter}
          onChange={(e) => setFilter(e.currentTarget.value)}
          w={240}
        />
        <Button size="compact-xs" variant="default" onClick={() => setOpen(open.size ? new Set() : folders())}>
          {open.size ? "Close all folders" : "Open all folders"}
        </Button>
        <span className="dim" style={{ marginLeft: "auto", fontSize: 12.5 }}>
          {plural(files.length, "file")}, largest first
        </span>
      </Group>
      <Rows shown={shown} most={root.size} toggle={toggle} />
    </>
  );
}

function Rows({ shown, most, toggle }: { shown: Line[]; most: number; toggle: (key: string) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({ count: shown.length, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 12 });
  return (
    <div
      ref={box}
      style={{ maxHeight: 480, overflowY: "auto", borderTop: "1px solid var(--r-line)" }}
      role="tree"
      aria-label="Files"
      tabIndex={0}
    >
      <div style={{ height: rows.getTotalSize(), position: "relative" }}>
        {rows.getVirtualItems().map((item) => {
          const line = shown[item.index]!;
          return (
            <div
              key={line.key}
              role="treeitem"
              aria-level={line.depth + 1}
              aria-expanded={line.open}
              style={{ position: "absolute", top: item.start, left: 0, right: 0, height: ROW }}
            >
              <Row line={line} most={most} toggle={toggle} />
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Row({ line, most, toggle }: { line: Line; most: number; toggle: (key: string) => void }) {
  return (
    <div
      style={{ display: "flex", alignItems: "center", gap: 12, height: ROW, padding: `0 14px 0 ${14 + line.depth * 18}px`, fontSize: 13.5 }}
    >
      {line.file ? (
        <span
          style={{ minWidth: 0, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap", paddingLeft: 16 }}
          title={line.file.path}
        >
          {line.name}
          {line.file.executable && <span className="dim"> executable</span>}
          {line.file.link && <span className="dim"> links to {line.file.link}</span>}
        </span>
      ) : (
        <button
          type="button"
          onClick={() => toggle(line.key)}
          style={{ all: "unset", cursor: "pointer", fontWeight: 600, whiteSpace: "nowrap" }}
        >
          <span aria-hidden style={{ display: "inline-block", width: 16 }}>
            {line.open ? "▾" : "▸"}
          </span>
          {line.name}{" "}
          <span className="dim" style={{ fontWeight: 400 }}>
            {plural(line.count, "file")}
          </span>
        </button>
      )}
      <span style={{ marginLeft: "auto", display: "flex", gap: 12, alignItems: "center", flexShrink: 0 }}>
        {line.file && <span className="dim">{line.file.depot}</span>}
        {line.file?.digest && <Digest value={line.file.digest} what="BLAKE3 of the file" length={8} />}
        <span aria-hidden style={{ width: 90, height: 6, background: "var(--r-tread)", borderRadius: 2 }}>
          <span
            style={{
              display: "block",
              height: 6,
              width: `${(100 * line.size) / Math.max(1, most)}%`,
              background: "var(--r-accent)",
              borderRadius: 2,
            }}
          />
        </span>
        <span style={{ width: 76, textAlign: "right", fontVariantNumeric: "tabular-nums" }}>{bytes(line.size)}</span>
      </span>
    </div>
  );
}
