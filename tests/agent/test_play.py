"""A title that is started for a simulated device: in a sandbox, with what it draws and prints; never without one."""

from __future__ import annotations

import io
import os
import pwd
from pathlib import Path

import pytest
from demo.peatlight import drawing
from PIL import Image

from rampa.agent.isolation import find_sandbox
from rampa.agent.play import Player
from rampa.core.devices.screen import SIZES, Form
from tests.core.binaries.samples import elf
from tests.refusals import refuses

SANDBOX, WHY = find_sandbox([])
USER = pwd.getpwnam("nobody").pw_uid if os.geteuid() == 0 else None
needs_sandbox = pytest.mark.skipif(SANDBOX is None, reason=WHY)


def title(root: Path, program: str) -> Path:
    (root / "bin").mkdir(parents=True)
    (root / "bin/peatlight").write_text("#!/usr/bin/env python3\nimport os, random, struct, sys, zlib\n" + program)
    (root / "bin/peatlight").chmod(0o755)
    for at in (root, *root.parents):
        if at.stat().st_uid == os.getuid():
            at.chmod(at.stat().st_mode | 0o055)  # the sandbox's user is another
    return root


@needs_sandbox
def test_what_it_draws_and_prints(tmp_path: Path) -> None:
    program = 'VERSION = "1.4.0"\n' + drawing.IN_PYTHON + "draw()\nprint(os.environ['RAMPA_DEVICE_CLASS'])\n"
    played = Player(SANDBOX, user=USER)(title(tmp_path / "t", program), "bin/peatlight", "phone-1", Form.PHONE)
    assert (played.crashed, played.said.strip()) == ("", "phone-1")
    with Image.open(io.BytesIO(played.picture)) as picture:
        assert picture.format == "JPEG"
        assert picture.size == tuple(n // 2 for n in SIZES[Form.PHONE])


@needs_sandbox
@pytest.mark.parametrize("left", [b"", b"not a picture", b"\x89PNG\r\n\x1a\n" + bytes(100)])
def test_what_is_no_picture_is_none(tmp_path: Path, left: bytes) -> None:
    program = f"open(os.environ['RAMPA_PICTURE'], 'wb').write({left!r})\nprint('drawn')\n"
    played = Player(SANDBOX, user=USER)(title(tmp_path / "t", program), "bin/peatlight", "phone-1", Form.PHONE)
    assert (played.picture, played.said.strip()) == (b"", "drawn")


@needs_sandbox
def test_a_crash_says_by_what(tmp_path: Path) -> None:
    program = "print('fog', flush=True)\nos.kill(os.getpid(), 11)\n"
    played = Player(SANDBOX, user=USER)(title(tmp_path / "t", program), "bin/peatlight", "visor-2", Form.HEADSET)
    assert "SIGSEGV" in played.crashed
    assert played.said.strip() == "fog"


@needs_sandbox
def test_it_reads_nothing_of_the_machine_s_and_writes_nothing_of_the_title_s(tmp_path: Path) -> None:
    secret = tmp_path / "secret"
    secret.write_text("key")
    program = (
        f"print(os.path.exists({str(secret)!r}))\n"
        "try:\n    open(__file__, 'a').write('x')\nexcept OSError as error:\n    print('closed')\n"
    )
    played = Player(SANDBOX, user=USER)(title(tmp_path / "t", program), "bin/peatlight", "desk-1", Form.DESKTOP)
    assert played.said.split() == ["False", "closed"], played.said


def test_without_a_sandbox_nothing_is_started(tmp_path: Path) -> None:
    told = tmp_path / "told"
    tree = title(tmp_path / "t", f"open({str(told)!r}, 'w')\n")
    with refuses("screen.no-sandbox", "bubblewrap"):
        Player(None, "bubblewrap is not installed")(tree, "bin/peatlight", "desk-1", Form.DESKTOP)
    assert not told.exists()


@needs_sandbox
def test_a_program_for_another_processor_is_not_started(tmp_path: Path) -> None:
    tree = title(tmp_path / "t", "")
    (tree / "bin/peatlight").write_bytes(elf(machine=0xB7))
    with refuses("screen.not-started", "arm64"):
        Player(SANDBOX, user=USER)(tree, "bin/peatlight", "desk-1", Form.DESKTOP)
