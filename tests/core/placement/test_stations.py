"""The ramp's stations: making first, then the title's channels in their order, and the review where one is needed."""

from __future__ import annotations

import pytest

from rampa.core.placement.stations import MAKING, REVIEW, stations_of

MADE = [s.name for s in MAKING]


@pytest.mark.parametrize(
    ("channels", "names"),
    [
        ([], []),
        ([("studio", False), ("testers", False)], ["studio", "testers"]),
        ([("studio", False), ("public", True)], ["studio", "review", "public"]),
        ([("early", True), ("public", True)], ["review", "early", "public"]),
        ([("early", True), ("studio", False), ("public", True)], ["review", "early", "studio", "public"]),
    ],
)
def test_stations_in_the_titles_order(channels: list[tuple[str, bool]], names: list[str]) -> None:
    stations = stations_of(channels)
    assert [s.name for s in stations] == MADE + names
    given = dict(channels)
    for station in stations[len(MADE) :]:
        assert station.channel is (station.name in given)


def test_nobody_places_on_what_is_made_or_reviewed() -> None:
    assert not any(s.channel for s in (*MAKING, REVIEW))
