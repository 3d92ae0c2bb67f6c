"""Facets: in which order they apply to a profile. Later wins."""

from __future__ import annotations

from collections.abc import Callable

from rampa.core.profile.layers import Layer
from rampa.core.profile.problems import nearest

Say = Callable[..., None]
UNSOUND = "document.facets"
"""The code of problems with which no profile can be resolved."""


def order(layer: Layer, facets: dict[str, Layer]) -> tuple[str, ...]:
    """The facets of a layer, each once, what a facet uses before itself, at the first place where it is needed.

    Cycles and unknown names must have been ruled out by `check_uses`.
    """
    out: dict[str, None] = {}
    # Reversed, since the stack gives back the last first.
    waiting = [(name, False) for name in reversed(layer.facets)]
    while waiting:
        name, opened = waiting.pop()
        if name in out:
            continue
        # Opened: what it uses was laid on the stack above it and is out by now.
        if opened or not facets[name].facets:
            out[name] = None
        else:
            waiting.append((name, True))
            waiting.extend((inner, False) for inner in reversed(facets[name].facets))
    return tuple(out)


def check_uses(layers: list[Layer], facets: dict[str, Layer], say: Say) -> None:
    """Says every unknown facet, and each cycle once, where it is closed."""
    for layer in layers:
        for number, name in enumerate(layer.facets):
            if name not in facets:
                known = tuple(facets)
                hint = nearest(name, known) if known else f"Add a table [facets.{name[:40]}]."
                say(
                    (*layer.path, "facets", number),
                    f"there is no facet {name[:60]!r}",
                    hint,
                    value=True,
                    code=UNSOUND,
                )
    done: set[str] = set()
    for name in facets:
        _walk(name, facets, done, say)


def _walk(start: str, facets: dict[str, Layer], done: set[str], say: Say) -> None:
    """Depth first, without recursion: a chain of facets may be long."""
    trail: list[str] = []
    on_trail: set[str] = set()
    waiting: list[tuple[str, int]] = [(start, 0)]
    while waiting:
        name, number = waiting.pop()
        if number == 0:
            if name in done:
                continue
            trail.append(name)
            on_trail.add(name)
        uses = facets[name].facets
        if number == len(uses):
            done.add(name)
            on_trail.discard(trail.pop())
            continue
        waiting.append((name, number + 1))
        inner = uses[number]
        if inner in on_trail:
            round_ = " -> ".join([*trail[trail.index(inner) :], inner])
            hint = "Take one of them out of `facets`."
            say(
                (*facets[name].path, "facets", number),
                f"the facets use one another: {round_}",
                hint,
                value=True,
                code=UNSOUND,
            )
        elif inner in facets and inner not in done:
            waiting.append((inner, 0))
