import type { Schemas } from "../../app/http";

export type File = Schemas["FileOut"];

export interface Line {
  key: string;
  name: string;
  depth: number;
  size: number;
  /** Files below a folder; 0 for a file. */
  count: number;
  file?: File;
  open?: boolean;
}

interface Folder {
  size: number;
  count: number;
  folders: Map<string, Folder>;
  files: File[];
}

/** Files as nested folders with their sums. */
export function nest(files: File[]): Folder {
  const root: Folder = { size: 0, count: 0, folders: new Map(), files: [] };
  for (const file of files) {
    let at = root;
    at.size += file.size;
    at.count += 1;
    const names = file.path.split("/");
    for (const name of names.slice(0, -1)) {
      let below = at.folders.get(name);
      if (!below) {
        below = { size: 0, count: 0, folders: new Map(), files: [] };
        at.folders.set(name, below);
      }
      below.size += file.size;
      below.count += 1;
      at = below;
    }
    at.files.push(file);
  }
  return root;
}

/** The lines that are seen: folders first, largest first; only what is open. */
export function lines(folder: Folder, open: Set<string>, prefix = "", depth = 0): Line[] {
  const out: Line[] = [];
  const folders = [...folder.folders].sort((a, b) => b[1].size - a[1].size);
  for (const [name, below] of folders) {
    const key = `${prefix}${name}/`;
    out.push({ key, name: `${name}/`, depth, size: below.size, count: below.count, open: open.has(key) });
    if (open.has(key)) out.push(...lines(below, open, key, depth + 1));
  }
  for (const file of [...folder.files].sort((a, b) => b.size - a.size)) {
    out.push({ key: prefix + file.path, name: file.path.split("/").at(-1) ?? file.path, depth, size: file.size, count: 0, file });
  }
  return out;
}
