"""The board: what is live where, now or then."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.base.together import Together
from rampa.operations.board import board
from rampa.schema import board as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("board")
    now: Together[str] = Together()

    @api.call("GET", "/board", Act.READ, wire.Board)
    def get_board(query: wire.BoardQuery) -> wire.Board | Response:
        """Titles x platforms x channels: what is live where, what waits and what stops it; at any moment."""
        actor = current_actor()
        if query.at:
            return board.get_board(services, actor, query)
        # Open on every engineer's screen, and the same on each: those who ask at once share one answer.
        body = now.get(lambda: board.get_board(services, actor, query).model_dump_json())
        return Response(body, content_type="application/json")

    return api
