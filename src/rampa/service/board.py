"""The board: what is live where, now or then."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.board import board
from rampa.schema import board as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("board")

    @api.call("GET", "/board", Act.READ, wire.Board)
    def get_board(query: wire.BoardQuery) -> wire.Board:
        """Titles x platforms x channels: what is live where, what waits and what stops it; at any moment."""
        return board.get_board(services, current_actor(), query)

    return api
