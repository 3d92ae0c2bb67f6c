"""Paths inside depots, manifests and bundles. They are hostile until checked here.

A path is relative, NFC (Unicode TR15), separated by forward slashes, and can be written below any folder without leaving it.
"""

from __future__ import annotations

import re
import unicodedata

from rampa.core.errors import Invalid

MAX_PATH_BYTES = 1024
MAX_NAME_BYTES = 255
CONTROL = re.compile(r"[\x00-\x1f\x7f]")


def check_path(path: str) -> str:
    """Returns `path` when it is safe to deliver; raises `Invalid` with what is wrong with it."""
    problem = path_problem(path)
    if problem:
        raise Invalid("path.unsafe", f"this path cannot be delivered: {problem}", where=printable(path))
    return path


def path_problem(path: str) -> str:
    """What is wrong with a path, as a clause; empty when nothing is."""
    if not path:
        return "it is empty"
    # Before any text is made of it: a name in a system's old code page cannot be written elsewhere under the same
    # name.
    try:
        encoded = path.encode("utf-8")
    except UnicodeEncodeError:
        return "its name is not UTF-8"
    if len(encoded) > MAX_PATH_BYTES:
        return f"it is longer than {MAX_PATH_BYTES} bytes"
    # "C:" is absolute on some systems, and a stream's name on one.
    if path.startswith("/") or (len(path) > 1 and path[1] == ":"):
        return "it is absolute"
    if CONTROL.search(path):
        return "it holds a control character"
    # On one system it separates, on others it is part of a name: a file would land in a folder that nobody checked.
    if "\\" in path:
        return "it holds a backslash"
    # One of two spellings of é: a file system that keeps both would hold two files with one name on the screen.
    if not unicodedata.is_normalized("NFC", path):
        return "it is not in Unicode form NFC"
    for name in path.split("/"):
        if name in ("", ".", ".."):
            return f"it holds {name!r} as a name" if name else "it holds an empty name"
        if len(name) * 4 > MAX_NAME_BYTES and len(name.encode()) > MAX_NAME_BYTES:
            return f"a name in it is longer than {MAX_NAME_BYTES} bytes"
    return ""


def check_link(path: str, target: str) -> str:
    """Returns `target` when the symbolic link at `path` stays inside the tree; raises `Invalid` when it leaves."""
    where = printable(path)
    if not target or target.startswith("/") or "\\" in target or "\0" in target:
        raise Invalid("link.outside", f"the link points outside the folder, at {printable(target)}", where=where)
    depth = path.count("/")
    for name in target.split("/"):
        if name == "..":
            depth -= 1
        elif name not in ("", "."):
            depth += 1
        # Step by step: a/../../b leaves the tree in the middle, though its end is inside again.
        if depth < 0:
            raise Invalid(
                "link.outside",
                f"the link points outside the folder, at {printable(target)}",
                where=where,
                hint="Replace it by the file that it points at, or leave it out in the profile document.",
            )
    return target


def printable(path: str) -> str:
    """The path for a message: undecodable bytes and control characters are shown as escapes."""
    return (
        path.encode("utf-8", "backslashreplace").decode().encode("unicode_escape").decode("ascii")
        if (not path.isprintable())
        else path
    )


def lies_in(path: str, folder: str) -> bool:
    """Whether a path is this one or lies below it; everything lies in an empty one."""
    wanted = folder.strip("/")
    return not wanted or path == wanted or path.startswith(wanted + "/")
