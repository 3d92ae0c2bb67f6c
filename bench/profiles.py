"""Reading, resolving and checking a profile document: 60 profiles of 80 settings, beside the parser alone and beside the aim."""

from __future__ import annotations

import sys
import time
import tomllib
from collections.abc import Callable

from bench.rows import Figure, Tree
from rampa.core.check.profile import check_document
from rampa.core.profile.document import read_document

AIM_MS = 50.0
TIMES = 9
PLATFORMS = ("linux", "windows", "macos", "headset")
HEAD = """
[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"
[version]
name = "1.5.0"
[content]
include = ["bin/", "data/", "maps/"]
leave_out_classes = ["symbols", "logs"]
languages = ["en", "fi", "es"]
[launch]
entry = "bin/peatlight"
"""


def document(profiles: int, facets: int) -> bytes:
    """About 80 resolved settings a profile: those of the table, and 25 entries of one that is a table."""
    out = [HEAD, "[system.permissions]"]
    out += [f'p{i} = "a reason of more than ten characters"' for i in range(25)]
    for f in range(facets):
        out += [
            f"[facets.f{f}]",
            'code.graphics = ["vulkan"]',
            f"content.compression = {f % 19}",
            'display.window = "window"',
            f'content.leave_out = {{ add = ["*.draft{f}"] }}',
            'system.minimum = "29"',
            'code.unused_code = "careful"',
        ]
    for p in range(profiles):
        used = ", ".join(f'"f{(p + k) % facets}"' for k in range(min(4, facets)))
        out += [
            f"[profiles.p{p}]",
            f"facets = [{used}]",
            f'platform = "{PLATFORMS[p % 4]}"',
            'purpose = "testing"',
            'code.architectures = ["arm64"]',
            'display.resolution = "1280x720"',
            'output.bundle = "{title}-{version}-{profile}"',
        ]
    return ("\n".join([*out, "[depots.base]"]) + "\n").encode()


def best_ms(run: Callable[[], object]) -> float:
    """The quickest of several, in milliseconds: what else runs on the machine only adds."""
    times = []
    for _ in range(TIMES):
        started = time.perf_counter()
        run()
        times.append(time.perf_counter() - started)
    return min(times) * 1e3


def whole_ms(profiles: int, facets: int) -> float:
    """Reading, resolving all and checking all."""
    data = document(profiles, facets)
    return best_ms(lambda: check_document(read_document(data)))


def profile_rows(_: Tree) -> list[Figure]:
    data = document(60, 12)
    ours = whole_ms(60, 12)
    read = read_document(data)
    check = best_ms(lambda: check_document(read))
    grown = ", ".join(f"{n} x {f}: {whole_ms(n, f):.1f}" for n, f in ((15, 12), (30, 12), (60, 6), (60, 24), (60, 48)))
    print(f"profiles x facets, ms: {grown}; of 60 x 12, checking alone {check:.1f}", file=sys.stderr)
    parser = best_ms(lambda: tomllib.loads(data.decode()))
    return [
        Figure("profile-check-time-aim", ours, AIM_MS, "ms", 1.0),
        Figure("profile-check-time-tomllib", ours, parser, "ms", 8.0),
    ]
