import { hierarchy, treemap, treemapSquarify } from "d3-hierarchy";
import { useMemo } from "react";

import type { Schemas } from "../../app/http";
import { bytes } from "../../ui/format";
import "./content.css";

type Piece = Schemas["MapPiece"];
type Node = { name: string; size?: number; inside?: boolean; children?: Node[] };

const [WIDE, HIGH] = [1000, 340];

/** Rectangles by size: folders with their largest parts. What stays out is hatched. */
export function Treemap({ pieces, open }: { pieces: Piece[]; open: (name: string) => void }) {
  const laid = useMemo(() => lay(pieces), [pieces]);
  if (!pieces.length) return null;
  return (
    <svg className="treemap" viewBox={`0 0 ${WIDE} ${HIGH}`} role="group" aria-label="What takes the space">
      <defs>
        <pattern id="out" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="7" height="7" className="ground" />
          <rect width="2" height="7" className="stripe" />
        </pattern>
      </defs>
      {laid.folders.map((f) => (
        <g
          key={f.name}
          role="button"
          tabIndex={0}
          aria-label={`Open ${f.name}, ${bytes(f.size)}`}
          onClick={() => open(f.name)}
          onKeyDown={(e) => e.key === "Enter" && open(f.name)}
        >
          <rect x={f.x} y={f.y} width={f.w} height={f.h} className="folder" />
          {f.w > 60 && (
            <text x={f.x + 5} y={f.y + 13} className="head">
              {cut(`${f.name}/  ${bytes(f.size)}`, f.w)}
            </text>
          )}
        </g>
      ))}
      {laid.leaves.map((l) => (
        <g key={l.key} className="leaf">
          <rect x={l.x} y={l.y} width={l.w} height={l.h} className={l.inside ? "in" : "out"}>
            <title>{`${l.where}${l.name}: ${bytes(l.size)}${l.inside ? "" : ", stays out"}`}</title>
          </rect>
          {l.w > 58 && l.h > 16 && (
            <text x={l.x + 4} y={l.y + 13}>
              {cut(l.name, l.w)}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}

function cut(text: string, width: number): string {
  const room = Math.floor((width - 8) / 6.6);
  return text.length <= room ? text : `${text.slice(0, Math.max(1, room - 1))}…`;
}

function lay(pieces: Piece[]) {
  const folders = new Map<string, Node>();
  const top: Node[] = [];
  for (const p of pieces) {
    const leaf: Node = { name: p.name, size: p.size, inside: p.inside };
    if (!p.folder) top.push(leaf);
    else {
      const own = folders.get(p.folder) ?? { name: p.folder, children: [] };
      own.children!.push(leaf);
      folders.set(p.folder, own);
    }
  }
  const root = hierarchy<Node>({ name: "", children: [...folders.values(), ...top] })
    .sum((n) => n.size ?? 0)
    .sort((a, b) => (b.value ?? 0) - (a.value ?? 0));
  const laid = treemap<Node>()
    .tile(treemapSquarify)
    .size([WIDE, HIGH])
    .paddingInner(1.5)
    .paddingOuter(1.5)
    .paddingTop((n) => (n.depth === 1 && n.children ? 17 : 1.5))(root);
  const box = (n: typeof laid) => ({ x: n.x0, y: n.y0, w: n.x1 - n.x0, h: n.y1 - n.y0, size: n.value ?? 0, name: n.data.name });
  return {
    folders: (laid.children ?? []).filter((n) => n.children).map(box),
    leaves: laid
      .leaves()
      .map((n, i) => ({ ...box(n), inside: n.data.inside !== false, key: i, where: n.depth === 2 ? `${n.parent?.data.name}/` : "" })),
  };
}
