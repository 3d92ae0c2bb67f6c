"""The demo's accounts at the simulated storefronts: the owner's way through each one's consent page, as a browser walks it."""

from __future__ import annotations

import re
import time
from urllib.parse import parse_qs, urlsplit

import httpx

from rampa.client import Client
from rampa.core.errors import RampaError, Unavailable
from rampa.schema.storefront_accounts import ConsentReturn, NewStorefront
from rampa.schema.storefronts import SCOPES

PATIENCE = 60.0
"""Seconds in which a storefront that was just started answers."""


def connect_all(client: Client, said: str) -> None:
    """`said`: NAME=ADDRESS with commas between them; a storefront that does not answer is left for a person to connect."""
    for pair in filter(None, said.split(",")):
        name, _, address = pair.partition("=")
        try:
            client.storefronts.come_back(_let_in(_opened(client, name, address)))
            print(f"  {name}: the studio's account is connected", flush=True)
        except (RampaError, httpx.HTTPError, ValueError) as error:
            print(f"  {name}: not connected ({error}); rampa storefront connect {name} does it", flush=True)


def _opened(client: Client, name: str, address: str) -> str:
    end = time.monotonic() + PATIENCE
    while True:
        try:
            return client.storefronts.connect(NewStorefront(name=name, address=address)).open
        except Unavailable:
            if time.monotonic() > end:
                raise
            time.sleep(0.5)


def _let_in(opened: str) -> ConsentReturn:
    with httpx.Client(trust_env=False, timeout=20) as browser:
        page = browser.get(opened)
        mark = re.search(r'name="mark" value="([^"]+)"', page.text)
        if mark is None:
            raise ValueError("its page asks nothing")
        asked = {key: values[0] for key, values in parse_qs(urlsplit(opened).query).items()}
        form = {**asked, "mark": mark[1], "answer": "yes", "scope": list(SCOPES)}
        back = browser.post(str(page.url).partition("?")[0], data=form).headers.get("location", "")
    said = {key: values[0] for key, values in parse_qs(urlsplit(back).query).items()}
    return ConsentReturn.model_validate(said)
