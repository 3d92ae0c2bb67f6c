"""rampa rating …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import ago, out, print_json, table
from rampa.schema.listings import RatingOut

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="The age rating: answers, each storefront's rating, who affirmed."
)


@app.command("show")
def show(title: str = TITLE, as_json: bool = JSON) -> None:
    """The questions with their answers, and what each storefront makes of them."""
    with signed_in() as client:
        found = client.listings.rating(the_title(client, title))
    if as_json:
        print_json(found)
        return
    _shown(found)


@app.command("affirm")
def affirm(
    name: str = typer.Option(..., "--name", prompt="Your name, as a signature", help="Your own name, as a signature."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Say with your name that the answers are true of what players get."""
    with signed_in() as client:
        slug = the_title(client, title)
        read = client.listings.rating(slug)
        if not as_json:
            _shown(read)
        done = client.listings.affirm(slug, read.number, name)
    if as_json:
        print_json(done)
        return
    out().print(f"{name} affirms the answers of state {done.number} of the listing of {slug}.")


def _shown(found: RatingOut) -> None:
    rows = [(q.text, q.answers.get(q.answer, "not answered"), q.name) for q in found.questions]
    table(["~question", "~answer", "key"], rows)
    because = [(r.title, r.rating, ", ".join(r.because) or "nothing but the mildest answers") for r in found.ratings]
    table(["storefront", "rating", "~because of"], because, "Each storefront rates it once every question is answered.")
    said = found.affirmation
    if said is None:
        out().print("Nobody has affirmed them yet: rampa rating affirm")
    else:
        stale = f" To be said again: {said.stale}." if said.stale else ""
        out().print(f"Affirmed by {said.person}, {ago(said.at)}.{stale}", soft_wrap=True)
