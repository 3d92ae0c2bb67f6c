"""lantern-export: a stand-in engine. It says so in its first line of output.

It really compiles Peatlight's small program with this system's C compiler where the platform is Linux on this machine's
processor, really bakes pictures, sounds, texts and maps, and leaves a record of what was baked from what. For platforms that
no compiler here makes programs for, it writes stand-in binaries: correct headers, no code.

    lantern-export --installation DIR export --platform P --mode M --out OUT [--quality full|preview] [--fail HOW]
    lantern-export --installation DIR --version
    lantern-export --installation DIR licence list|show|accept

Run in the source's folder. LANTERN_PACE is the time that work takes beyond what it needs (1: seconds to watch, 0: none).
LANTERN_FAIL (or --fail) makes it fail as real exports do: `compile`, `texture`, `memory`.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent.parent))

from demo.lantern_export import baking, packages, programs

LICENCE = "lantern-export studio terms 2026"
TERMS = f"""{LICENCE}

These terms are made up for Rampa's demo. Accepting them writes one line into this installation's folder.
"""
PREVIEW = "preview"


def main() -> int:
    options = _options()
    home = Path(options.installation)
    if options.version:
        print(f"lantern-export {_version(home)} (stand-in)")
        return 0
    if options.what == "licence":
        return _licence(home, options.act)
    return Export(options, home).run()


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="lantern-export", description="A stand-in engine for Rampa's demo.")
    parser.add_argument("--installation", required=True, help="the folder of one installed version")
    parser.add_argument("--version", action="store_true")
    what = parser.add_subparsers(dest="what")
    licence = what.add_parser("licence")
    licence.add_argument("act", choices=("list", "show", "accept"))
    export = what.add_parser("export")
    export.add_argument("--platform", required=True, choices=sorted(programs.MACHINES))
    export.add_argument("--mode", default="release", choices=("development", "testing", "release"))
    export.add_argument("--architectures", default="")
    export.add_argument("--container", default="", help="apk, aab or ipa: their own files go into package/")
    export.add_argument("--identifier", default="example.quillback.peatlight")
    export.add_argument("--minimum", default="")
    export.add_argument("--out", required=True, type=Path)
    export.add_argument("--quality", default="full", choices=("full", PREVIEW))
    export.add_argument(
        "--fail", default=os.environ.get("LANTERN_FAIL", ""), choices=("", "compile", "texture", "memory")
    )
    return parser.parse_args()


def _version(home: Path) -> str:
    return (home / "version.txt").read_text().strip()


def _licence(home: Path, act: str) -> int:
    accepted = home / "licences.txt"
    if act == "show":
        print(TERMS)
    elif act == "accept":
        accepted.write_text(LICENCE + "\n")
        print(f"Accepted: {LICENCE}")
    elif accepted.exists():
        print(accepted.read_text().strip())
    return 0


class Export:
    """One export: a list of pieces of work, told as they are done."""

    def __init__(self, options: argparse.Namespace, home: Path) -> None:
        self._options, self._home = options, home
        self._source, self._out = Path.cwd(), options.out
        self._pace = float(os.environ.get("LANTERN_PACE", "1"))
        self._record: list[dict[str, object]] = []
        self._done = 0

    def run(self) -> int:
        print(
            f"lantern-export {_version(self._home)}, a stand-in engine: {self._options.platform}, {self._options.mode}"
        )
        if LICENCE not in (self._home / "licences.txt").read_text() if (self._home / "licences.txt").exists() else True:
            print(f"error: the licence “{LICENCE}” was not accepted on this machine")
            return 3
        token = os.environ.get("LANTERN_TOKEN")
        if token:
            print(f"asset server: signed in with {token}")
        try:
            self._all()
        except programs.CompileError as error:
            print(error)
            print("error: the program could not be compiled")
            return 1
        except baking.BakeError as error:
            print(f"error: {error}")
            return 1
        except MemoryError:
            print("error: MemoryError: out of memory while packing the light map")
            return 1
        self._write_record()
        print(f"done: {self._done} pieces")
        return 0

    def _all(self) -> None:
        work = self._pieces()
        for number, (name, act) in enumerate(work, 1):
            print(f"[{number * 100 // len(work):3d}%] {name}", flush=True)
            act()
            self._done += 1
            time.sleep(self._pace * 0.18)

    def _pieces(self) -> list[tuple[str, Callable[[], None]]]:
        names = [n for n in self._options.architectures.split(",") if n]
        work: list[tuple[str, Callable[[], None]]] = [("compile the program", partial(self._program, names))]
        work += [(f"bake {p.name}", partial(self._picture, p)) for p in self._files("art/*.png")]
        work += [(f"render {p.name}", partial(self._sound, p)) for p in self._files("sounds/*.notes")]
        work += [(f"pack {p.name}", partial(self._text, p)) for p in self._files("texts/*.toml")]
        work += [(f"lay out {p.name}", partial(self._map, p)) for p in self._files("maps/*.places")]
        work += [(f"copy {p.name}", partial(self._copy, p)) for p in self._files("addons/**/*", "LICENCE.txt")]
        if self._options.fail == "memory":
            work.append(("pack the light map", _eat_memory))
        return work

    def _files(self, *patterns: str) -> list[Path]:
        return [p for pattern in patterns for p in sorted(self._source.glob(pattern)) if p.is_file()]

    def _program(self, architectures: list[str]) -> None:
        sources = self._files("src/*.c")
        broken = self._options.fail == "compile"
        made = programs.build(self._source, sources, self._options, architectures, broken)
        if self._options.container in packages.CONTAINERS:
            made.files = packages.arranged(made.files, self._options, architectures)
        for path, data, executable in made.files:
            self._put(path, data, executable)
        for line in made.said:
            print(line)

    def _picture(self, file: Path) -> None:
        preview = self._options.quality == PREVIEW
        if self._options.fail == "texture" and file.name.startswith("marrow"):
            raise baking.BakeError(f"{file.relative_to(self._source)}: the picture ends early (row 211 of 540)")
        data, said = baking.texture(file.read_bytes(), 128 if preview else 512)
        if said:
            print(f"warning: {file.relative_to(self._source)}: {said}")
        path = "pictures" if file.stem in ("icon", "opening") else "textures"
        self._bake(f"{path}/{file.stem}.ktx2", data, file)

    def _sound(self, file: Path) -> None:
        self._bake(f"audio/{file.stem}.wav", baking.sound(file.read_text()), file)

    def _text(self, file: Path) -> None:
        data, missing = baking.texts(file.read_text(), (self._source / "texts" / "en.toml").read_text())
        for key in missing:
            print(f"warning: {file.relative_to(self._source)}: no translation of “{key}”, the English text is used")
        self._bake(f"locale/{file.stem}.json", data, file, self._source / "texts" / "en.toml")

    def _map(self, file: Path) -> None:
        self._bake(f"maps/{file.stem}.heights", baking.heights(file.read_text()), file)

    def _copy(self, file: Path) -> None:
        self._put(str(file.relative_to(self._source)), file.read_bytes())

    def _bake(self, path: str, data: bytes, *sources: Path) -> None:
        self._put(path, data)
        digests = {str(s.relative_to(self._source)): hashlib.sha256(s.read_bytes()).hexdigest() for s in sources}
        self._record.append({"path": path, "quality": self._options.quality, "sources": digests})

    def _put(self, path: str, data: bytes, executable: bool = False) -> None:
        target = self._out / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
        target.chmod(0o755 if executable else 0o644)

    def _write_record(self) -> None:
        record = {"format": "rampa-baked", "version": 1, "toolchain": f"lantern-export {_version(self._home)}"}
        (self._out / "baked.json").write_text(json.dumps({**record, "files": self._record}, indent=1))


def _eat_memory() -> None:
    """Really takes memory, step by step, up to 1.5 GB: whoever watches sees it before the machine suffers."""
    held = []
    for _ in range(30):
        held.append(bytearray(os.urandom(1024)) * 51_200)
        time.sleep(0.08)
    raise MemoryError


if __name__ == "__main__":
    sys.exit(main())
