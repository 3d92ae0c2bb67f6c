"""Where symbolic links lead, each followed through the others: two that stay inside by themselves can lead out together."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping

HOPS = 40
"""Links that are followed in a row: what systems take (path_resolution(7))."""
STEPS = 4_000_000
"""Names that are walked, and looked up with those above them, for one tree: chains of long chains are refused rather than
walked for minutes."""


def leading_out(links: Mapping[str, str]) -> Iterator[str]:
    """The paths of links that leave the tree, go round in a circle, or take too long to be followed. `links`: path -> target."""
    left = STEPS
    for path in links:
        steps = _followed(path, links, left)
        if steps < 0:
            yield path
        left -= abs(steps)
        if left <= 0:
            yield path
            return


def _followed(path: str, links: Mapping[str, str], most: int) -> int:
    """How many names were walked; negative where the link leaves."""
    at = path.split("/")[:-1]
    ahead = deque(links[path].split("/"))
    steps, hops = 1, 0
    while ahead:
        name = ahead.popleft()
        steps += 1 + len(at)
        if name == "..":
            if not at:
                return -steps
            at.pop()
        elif name not in ("", "."):
            at.append(name)
            target = links.get("/".join(at))
            if target is not None:
                hops += 1
                if hops > HOPS or steps > most:
                    return -steps
                # As the system does: what it points at is looked for from the folder that the link lies in.
                at.pop()
                ahead.extendleft(reversed(target.split("/")))
    return steps
