"""`python -m rampa.standin.storefront NAME --folder DIR --port PORT`: one simulated storefront on loopback.

Its database's address is in RAMPA_STOREFRONT_DATABASE, the secret of the operator's address in RAMPA_OPERATOR: a command's words
can be read by everybody on the machine.
"""

from __future__ import annotations

import argparse
import os
import signal
from pathlib import Path

from werkzeug.serving import make_server

from rampa.standin.storefront.app import Clockwork, make_storefront
from rampa.standin.storefront.character import CHARACTERS
from rampa.standin.storefront.player_devices import over_http
from rampa.standin.storefront.shop import open_shop


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m rampa.standin.storefront")
    parser.add_argument("name", choices=list(CHARACTERS))
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--studio", default="Quillback Works")
    parser.add_argument("--new-studio", action="store_true", help="it has to be verified first")
    said = parser.parse_args()
    url, operator = os.environ["RAMPA_STOREFRONT_DATABASE"], os.environ.get("RAMPA_OPERATOR", "")
    shop = open_shop(CHARACTERS[said.name], url, said.folder, said.studio, operator, known=not said.new_studio)
    clockwork = Clockwork(shop)
    clockwork.start()
    app = make_storefront(shop, over_http(f"http://127.0.0.1:{said.port}"))
    server = make_server("127.0.0.1", said.port, app, threaded=True)
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        pass
    finally:
        clockwork.end()
        app.extensions["players"].close()


if __name__ == "__main__":
    main()
