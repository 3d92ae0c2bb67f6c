"""The console's files: sent as small as the browser takes them, and nothing else of the folder."""

from __future__ import annotations

from pathlib import Path

import pytest
from flask import Flask

from rampa.service.base.access import AccessTable
from rampa.service.console import install


@pytest.fixture
def served(tmp_path: Path) -> Flask:
    folder = tmp_path / "dist"
    (folder / "assets").mkdir(parents=True)
    (folder / "index.html").write_text("<title>Rampa</title>")
    (folder / "assets/page.js").write_text("plain")
    (folder / "assets/page.js.gz").write_text("gzip")
    (folder / "assets/page.js.br").write_text("br")
    (folder / "assets/face.woff2").write_text("a face")
    (tmp_path / "secret.txt").write_text("a secret")
    app = Flask("console")
    install(app, folder, AccessTable({}))
    return app


@pytest.mark.parametrize(
    ("accepts", "sent"),
    [("br, gzip", "br"), ("gzip", "gzip"), ("", "plain"), ("identity, br;q=0", "plain"), ("zstd", "plain")],
)
def test_an_asset_is_sent_as_the_browser_takes_it(served: Flask, accepts: str, sent: str) -> None:
    answer = served.test_client().get("/assets/page.js", headers={"Accept-Encoding": accepts})
    assert answer.text == sent
    assert answer.headers.get("Content-Encoding", "plain") == sent
    assert answer.mimetype == "text/javascript"
    assert "Accept-Encoding" in answer.headers["Vary"]
    assert "max-age=31536000" in answer.headers["Cache-Control"]


def test_what_has_no_smaller_form_is_sent_as_it_is(served: Flask) -> None:
    answer = served.test_client().get("/assets/face.woff2", headers={"Accept-Encoding": "br"})
    assert (answer.text, answer.headers.get("Content-Encoding")) == ("a face", None)


@pytest.mark.parametrize("path", ["/assets/../../secret.txt", "/assets/%2e%2e/%2e%2e/secret.txt", "/assets/none.js"])
def test_nothing_outside_the_folder_is_sent(served: Flask, path: str) -> None:
    answer = served.test_client().get(path, headers={"Accept-Encoding": "br, gzip"})
    assert "a secret" not in answer.text
    assert answer.status_code == 404


def test_every_other_address_is_the_console_s_page(served: Flask) -> None:
    answer = served.test_client().get("/titles/peatlight/builds/3")
    assert "<title>Rampa</title>" in answer.text
    assert "default-src 'self'" in answer.headers["Content-Security-Policy"]
    assert served.test_client().get("/api/v1/nothing").status_code == 404
