"""rampa webhook …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, first_rows, signed_in, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.core.quantity import counted
from rampa.schema.notices import Delivery, NewWebhook, Webhook, WebhookChange

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Webhooks: where a title's events are sent.")
NAME = typer.Argument(..., metavar="WEBHOOK", help="The webhook.")
ACT = typer.Option(None, "--act", help="Only events whose act begins so: build. or run.fail; all without any.")


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """A title's webhooks, and how sending to them goes."""
    with signed_in() as client:
        found = client.webhooks.all(the_title(client, title))
    if as_json:
        print_json(found)
        return
    empty = "No webhook yet: rampa webhook add NAME https://HOST/PATH"
    rows = [(w.name, w.address, ", ".join(w.acts) or "everything", _state(w), ago(w.last_at)) for w in found]
    table(["webhook", "~address", "events", "~state", "last sent"], rows, empty)


@app.command("add")
def add(
    name: str = NAME,
    address: str = typer.Argument(..., help="Where they are sent, such as https://hooks.quillback.example/rampa."),
    act: list[str] = ACT,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Send a title's events to an address, as signed CloudEvents. Prints the secret that checks them, this once."""
    with signed_in() as client:
        made = client.webhooks.add(the_title(client, title), NewWebhook(name=name, address=address, acts=act or []))
    if as_json:
        print_json(made)
        return
    err().print("The secret that checks what is sent; it is shown this once:")
    out().print(made.secret, soft_wrap=True, highlight=False)


@app.command("change")
def change(
    name: str = NAME,
    address: str = typer.Option("", "--address", help="Where they are sent from now on."),
    act: list[str] = ACT,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Send somewhere else, or other events."""
    _changed(name, WebhookChange(address=address or None, acts=act or None), title, as_json)


@app.command("pause")
def pause(name: str = NAME, title: str = TITLE, as_json: bool = JSON) -> None:
    """Send nothing for now; events wait."""
    _changed(name, WebhookChange(paused=True), title, as_json)


@app.command("resume")
def resume(name: str = NAME, title: str = TITLE, as_json: bool = JSON) -> None:
    """Go on; what waited is sent."""
    _changed(name, WebhookChange(paused=False), title, as_json)


@app.command("remove")
def remove(name: str = NAME, title: str = TITLE, yes: bool = YES) -> None:
    """Remove a webhook, with what is on its way."""
    with signed_in() as client:
        slug = the_title(client, title)
        waiting = sum(w.waiting for w in client.webhooks.all(slug) if w.name == name)
        err().print(f"{counted(waiting, 'event is', 'events are')} on the way to {name}, and would not be sent.")
        if not confirmed(f"Remove {name}?", yes):
            raise typer.Exit(1)
        client.webhooks.remove(slug, name)
    out().print(f"{name} is removed.")


@app.command("deliveries")
def deliveries(
    name: str = NAME,
    state: str = typer.Option("", "--state", help="waiting, taken or given-up."),
    title: str = TITLE,
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Events that were sent and those on their way, with what the target answered."""
    with signed_in() as client:
        found = first_rows(client.webhooks.deliveries, the_title(client, title), name, limit=limit, state=state)
    if as_json:
        print_json(found)
        return
    rows = [(d.id, d.act, d.state, d.tries, _answer(d), f"{d.milliseconds:,} ms", ago(d.at)) for d in found]
    table(["delivery", "event", "state", "#tries", "~answer", "#took", "when"], rows, "Nothing was sent yet.")


@app.command("resend")
def resend(
    name: str = NAME,
    delivery: str = typer.Argument(..., help="Its number, as in the list of deliveries."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Send an event again, as it was, with the same number."""
    with signed_in() as client:
        done = client.webhooks.resend(the_title(client, title), name, delivery)
    if as_json:
        print_json(done)
        return
    out().print(f"{done.act} is on its way to {name} again.")


def _changed(name: str, asked: WebhookChange, title: str, as_json: bool) -> None:
    with signed_in() as client:
        done = client.webhooks.change(the_title(client, title), name, asked)
    if as_json:
        print_json(done)
        return
    out().print(f"{done.name}: {done.address}, {_state(done)}.", soft_wrap=True)


def _state(of: Webhook) -> str:
    parts = ["paused"] if of.paused else []
    parts += [f"{of.waiting} waiting"] if of.waiting else []
    parts += [f"{of.given_up} given up"] if of.given_up else []
    if of.last_at and not 200 <= of.last_status < 300:
        parts.append(f"last: {of.last_status or of.last_said}")
    return ", ".join(parts) or "in order"


def _answer(of: Delivery) -> str:
    if not of.tries:
        return "not sent yet"
    return f"{of.status} {of.answer[:60]}".strip() if of.status else of.answer[:80]
