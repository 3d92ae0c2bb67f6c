"""`rampa bundle` on files, without a service: as people type it."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from rampa.core.signing import identity
from tests.nursery import run_module
from tests.packages import apk_files, lay_out, make_identity, write_zip_file


class Alone:
    """Runs `rampa bundle …` where nobody is signed in."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.environment = {
            **os.environ,
            "RAMPA_HOME": str(folder / "home"),
            "FOG": "a password",
            "WRONG": "no password",
        }

    def run(self, *words: str, code: int = 0, fd: int | None = None) -> subprocess.CompletedProcess[str]:
        fds = [fd] if fd is not None else []
        done = run_module(["rampa.cli.main", "bundle", *words], self.environment, self.folder, fds)
        assert done.returncode == code, f"{words}: {done.returncode}\n{done.stdout}\n{done.stderr}"
        assert "Traceback" not in done.stderr
        assert "a password" not in done.stdout + done.stderr
        return done

    def json(self, *words: str, code: int = 0):  # type: ignore[no-untyped-def]
        return json.loads(self.run(*words, "--json", code=code).stdout)


@pytest.fixture
def alone(tmp_path: Path) -> Alone:
    write_zip_file(tmp_path / "plain.apk", apk_files(21))
    (tmp_path / "k.p12").write_bytes(identity.to_pkcs12(make_identity("k"), "fog", "a password"))
    return Alone(tmp_path)


def test_stamp_sign_verify_inspect_compare(alone: Alone) -> None:
    alone.run("stamp", "plain.apk", "--version-name", "2.0.0", "--version-code", "7", "--out", "stamped.apk")
    made = alone.json("sign", "stamped.apk", "--keystore", "k.p12", "--password-env", "FOG", "--out", "signed.apk")
    assert made["schemes"] == ["v1", "v2", "v3"]
    assert made["facts"]["version_code"] == 7
    seen = alone.json("verify", "signed.apk")
    assert seen["holds"]
    assert seen["schemes"][0]["signers"][0]["fingerprint"] == make_identity("k").fingerprint
    assert "✓ holds" in alone.run("verify", "signed.apk").stdout
    told = alone.run("inspect", "signed.apk").stdout
    for words in ("2.0.0, code 7", "v1, v2, v3", "native libraries", "arm64, x86_64", "INTERNET"):
        assert words in told
    changed = alone.json("compare", "plain.apk", "signed.apk")
    assert {r["name"]: r["why"] for r in changed["rows"]}["AndroidManifest.xml"].startswith("content changed")
    again = alone.run(
        "sign", "signed.apk", "--keystore", "k.p12", "--password-env", "FOG", "--out", "twice.apk", code=6
    )
    assert "a second signature over the first would break both" in again.stderr
    assert not (alone.folder / "twice.apk").exists()


def test_what_fails_says_why_and_in_the_exit_code(alone: Alone) -> None:
    assert "there is no terminal" in alone.run("sign", "plain.apk", "--keystore", "k.p12", "--out", "o", code=1).stderr
    sign = ("sign", "plain.apk", "--keystore", "k.p12", "--out", "o.apk")
    assert "password does not open" in alone.run(*sign, "--password-env", "WRONG", code=1).stderr
    assert "the variable NONE is not set" in alone.run(*sign, "--password-env", "NONE", code=1).stderr
    assert "no entry 'kiln'" in alone.run(*sign, "--password-env", "FOG", "--alias", "kiln", code=4).stderr
    assert "It is not signed" in alone.run("verify", "plain.apk", code=7).stderr
    assert "made of" in alone.run("stamp", "plain.apk", "--version-code", "3", "--out", "plain.apk", code=1).stderr
    (alone.folder / "broken.apk").write_bytes((alone.folder / "plain.apk").read_bytes() + b"x")
    assert "bytes follow the end record" in alone.run("inspect", "broken.apk", code=7).stderr
    write_zip_file(alone.folder / "debug.apk", apk_files(debuggable=True))
    assert "a debugger can attach" in alone.run("inspect", "debug.apk", code=6).stdout
    assert alone.run("inspect", "debug.apk", "--development")
    assert "the file cannot be read" in alone.run("inspect", "none.apk", code=4).stderr


def test_a_password_through_a_file_descriptor(alone: Alone) -> None:
    reading, writing = os.pipe()
    os.write(writing, b"a password\n")
    os.close(writing)
    sign = ("sign", "plain.apk", "--keystore", "k.p12", "--out", "o.apk", "--password-fd", str(reading))
    alone.run(*sign, fd=reading)
    assert (alone.folder / "o.apk").exists()


def test_a_detached_signature_lies_beside(alone: Alone) -> None:
    write_zip_file(alone.folder / "desk.zip", {"top/bin/peatlight": b"#!/bin/sh\n"}, stored=True)
    sign = ("sign", "desk.zip", "--keystore", "k.p12", "--password-env", "FOG")
    assert "carries no signature inside" in alone.run(*sign, "--out", "o.zip", code=6).stderr
    alone.run(*sign, "--detached", "--out", "desk.zip.p7s")
    words = [
        "openssl",
        "cms",
        "-verify",
        "-binary",
        "-inform",
        "DER",
        "-noverify",
        "-in",
        "desk.zip.p7s",
        "-content",
        "desk.zip",
    ]
    assert subprocess.run(words, cwd=alone.folder, capture_output=True).returncode == 0
    assert alone.json("verify", "desk.zip")["holds"]
    data = (alone.folder / "desk.zip").read_bytes()
    (alone.folder / "desk.zip").write_bytes(data.replace(b"#!/bin/sh", b"#!/bin/sx"))
    assert not alone.json("verify", "desk.zip", code=7)["holds"]


def test_a_launch_entry_tests_itself(alone: Alone) -> None:
    for kind, code in (("good", 0), ("bad", 4)):
        script = f"#!/bin/sh\necho the lantern burns\nexit {code}\n"
        lay_out(alone.folder / kind, {"desk/bin/peatlight": script.encode()})
        (alone.folder / kind / "desk/bin/peatlight").chmod(0o755)
        shutil.make_archive(str(alone.folder / kind), "zip", alone.folder / kind)
    passed = alone.run("self-test", "good.zip", "--launch", "bin/peatlight")
    assert (passed.stdout, "The self-test passed" in passed.stderr) == ("the lantern burns\n", True)
    assert "it ended with 4" in alone.run("self-test", "bad.zip", "--launch", "bin/peatlight", code=6).stderr
    assert not alone.json("self-test", "bad.zip", "--launch", "bin/peatlight", code=6)["passed"]
    missing = alone.run("self-test", "good.zip", "--launch", "bin/kiln", code=4)
    assert "no launch entry bin/kiln" in missing.stderr


def test_assembling_and_splitting(alone: Alone) -> None:
    lay_out(alone.folder / "export", apk_files())
    alone.run("assemble", "export", "--out", "a.apk", "--version-name", "1.0.0", "--version-code", "3")
    pieces = alone.json("split", "a.apk", "--to", "pieces")["pieces"]
    assert [(p["architecture"], p["version_code"]) for p in pieces] == [("arm64", 35), ("x86_64", 36)]
    assert "exists already" in alone.run("assemble", "export", "--out", "a.apk", code=5).stderr
