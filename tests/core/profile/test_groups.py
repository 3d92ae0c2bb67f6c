"""Typed groups of settings: every setting has its field, in its group, of its kind."""

from __future__ import annotations

import typing
from dataclasses import fields

import pytest
from demo.peatlight.documents import EVERYWHERE

from rampa.core.profile import groups
from rampa.core.profile.document import read_document
from rampa.core.profile.groups import Settings, typed
from rampa.core.profile.settings.table import SETTINGS
from tests.samples import DOCUMENT

KINDS = {
    "text": "str",
    "texts": "tuple[str, ...]",
    "number": "int",
    "flag": "bool",
    "table": "collections.abc.Mapping[str, str]",
}


def test_the_fields_are_those_of_the_table() -> None:
    hints = typing.get_type_hints(Settings)
    plain = {f.name for f in fields(Settings) if hints[f.name] in (str, bool)}
    named = {
        f"{g}.{f.name}": typing.get_type_hints(kind)[f.name]
        for g, kind in hints.items()
        if kind not in (str, bool)
        for f in fields(kind)
    }
    assert plain | set(named) == set(SETTINGS)
    for key, hint in named.items():
        said = str(hint).replace(" | None", "").replace("<class '", "").replace("'>", "")
        assert said == KINDS[SETTINGS[key].kind], key


@pytest.mark.parametrize("text", [DOCUMENT, EVERYWHERE])
def test_groups_say_what_keys_say(text: str) -> None:
    for profile in read_document(text.encode()).profiles.values():
        for key, value in profile.values.items():
            group, _, name = key.rpartition(".")
            holder = getattr(profile.settings, group) if group else profile.settings
            assert getattr(holder, name) == value.value, key


def test_nothing_set_is_empty_and_defaults_are_the_tables() -> None:
    settings = next(iter(read_document(DOCUMENT.encode()).profiles.values())).settings
    assert (settings.content.opening, settings.content.addons, settings.code.graphics) == ("", None, ())
    assert settings.content.compression == SETTINGS["content.compression"].default


def test_an_unknown_key_raises() -> None:
    profile = next(iter(read_document(DOCUMENT.encode()).profiles.values()))
    with pytest.raises(KeyError, match=r"no setting content\.strip"):
        profile.get("content.strip")
    with pytest.raises(KeyError, match=r"no setting title\.product"):
        typed({"title.product": "Peatlight"})
    assert not hasattr(groups.TitleSettings, "product")
