"""Repositories on real hosts: SSH with a key, HTTPS with a password, behind a certificate authority of the studio's own."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.store.git import Credential
from rampa.store.mirror import Mirror
from rampa.store.reach import Reach
from tests.gits import Repo, peatlight
from tests.hosts import https_host, make_key, missing, ssh_address, ssh_host
from tests.refusals import refuses

PASSWORD = "heather-and-peat-1907"
LOOPBACK = ("127.0.0.0/8",)
needs_ssh = pytest.mark.skipif(bool(why := missing("sshd", "ssh-keygen", "ssh")), reason=why)
needs_https = pytest.mark.skipif(bool(why := missing("nginx", "fcgiwrap")), reason=why)


@pytest.fixture
def repo(tmp_path: Path) -> Repo:
    return peatlight(tmp_path / "git/peatlight")


@needs_ssh
def test_ssh_takes_the_key_and_keeps_the_host(repo: Repo, tmp_path: Path) -> None:
    right = Credential(key=make_key(tmp_path / "right"))
    wrong = Credential(key=make_key(tmp_path / "wrong"))
    reach = Reach(hosts=LOOPBACK, known_hosts=tmp_path / "known_hosts")
    allowed = (tmp_path / "right.pub").read_text()
    mirror = Mirror(tmp_path / "m.git")
    with ssh_host(tmp_path / "sshd", allowed) as port:
        address = ssh_address(port, repo.root)
        for credential in (wrong, Credential()):
            with refuses("git.failed", "Permission denied"):
                mirror.fetch(address, credential, reach)
        mirror.fetch(address, right, reach)
        assert [r.name for r in mirror.refs()] == ["main"]
        assert (tmp_path / "known_hosts").read_text().count("ssh-ed25519") == 1
        with refuses("source.private"):
            mirror.fetch(address, right, Reach())
    # Another host at the same place: it has not the key that was seen first.
    with (
        ssh_host(tmp_path / "sshd", allowed, port),
        refuses("git.failed", "verification failed|IDENTIFICATION|could not"),
    ):
        mirror.fetch(address, right, reach)


@needs_https
def test_https_takes_the_password_and_the_authority(repo: Repo, tmp_path: Path) -> None:
    repo.git("tag", "v1")
    with https_host(tmp_path / "nginx", tmp_path / "git", "iida", PASSWORD) as (port, authority):
        address = f"https://127.0.0.1:{port}/peatlight/.git"
        reach = Reach(hosts=LOOPBACK, authority=authority)
        mirror = Mirror(tmp_path / "m.git")
        with refuses("git.failed", "certificate"):
            mirror.fetch(address, Credential("iida", PASSWORD), Reach(hosts=LOOPBACK))
        for credential in (Credential("iida", "peat"), Credential("oskari", PASSWORD), Credential()):
            with refuses("git.failed") as told:
                mirror.fetch(address, credential, reach)
            assert PASSWORD not in told.value.message
        mirror.fetch(address, Credential("iida", PASSWORD), reach)
        assert {r.name for r in mirror.refs()} == {"main", "v1"}
        repo.commit("More fog", {"src/fog.c": "int fog = 2;\n"})
        mirror.fetch(address, Credential("iida", PASSWORD), reach)
        assert mirror.log("main", 0, 1)[0].subject == "More fog"
        told_log = (tmp_path / "nginx/access").read_text()
    assert PASSWORD not in told_log
    assert "127.0.0.1" in told_log
