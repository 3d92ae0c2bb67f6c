"""Patterns of paths as in gitignore(5), matched in time that grows with the path's length alone.

They come from documents and triggers, so from anybody who may write one: a backtracking matcher takes minutes for `*a*a*a*b`
and one name. RE2 has no way to take longer than a pass, and is faster on ordinary patterns, too.
"""

from __future__ import annotations

import functools
import re
import warnings
from collections.abc import Iterable

import re2
from pathspec import GitIgnoreSpec

from rampa.core.errors import Invalid

SPECIAL = re.compile(r"([*?\[\]!#\\ ])")
LONGEST = 1000
"""Characters of one pattern."""
# What `[[` may mean one day is no concern of who runs a command.
warnings.filterwarnings("ignore", "Possible (nested set|set )", FutureWarning)


def read_patterns(lines: Iterable[str]) -> GitIgnoreSpec:
    """The last pattern that matches decides. Raises `Invalid` for one that is none, and for more than fit a matcher."""
    given = list(lines)
    try:
        return GitIgnoreSpec.from_lines(given, backend="re2")
    except Exception as error:
        # An empty line matches nothing and stops nothing; the first that does is named.
        for line in filter(str.strip, given):
            problem = pattern_problem(line)
            if problem:
                raise Invalid("pattern.invalid", f"the pattern {line[:80]!r} cannot be used: {problem}") from error
        hint = "Name folders in place of files, or use fewer wildcards."
        raise Invalid("pattern.too-many", f"these {len(given):,} patterns are too large together", hint=hint) from error


@functools.lru_cache(maxsize=4096)
def pattern_problem(text: str) -> str:
    """What is wrong with one pattern, as a clause; empty when nothing is."""
    if not text.strip() or "\0" in text:
        return "it is empty"
    if len(text) > LONGEST:
        return f"it is longer than {LONGEST:,} characters"
    try:
        GitIgnoreSpec.from_lines([text], backend="re2")
    except UnicodeEncodeError:
        return "it is not UTF-8"
    except (re.error, re2.error):
        return "its set in brackets cannot be read"
    except Exception:
        # The libraries' own kinds of error differ by what is wrong; to a person it is one thing.
        return "it is no pattern of gitignore(5), such as *.psd, data/ or !data/keep.psd"
    return ""


def literal(text: str) -> str:
    """A pattern that matches this text and nothing else."""
    return SPECIAL.sub(r"\\\1", text)


def as_utf8(path: str) -> str:
    """A path that a pattern can be matched with: bytes of a name that are not UTF-8 are question marks in it."""
    return path.encode("utf-8", "replace").decode()
