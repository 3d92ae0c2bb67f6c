"""The board: what is live where, now or then."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.board import board
from rampa.operations.board.kept import KeptBoard
from rampa.schema import board as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("board")
    now = KeptBoard()

    @api.call("GET", "/board", Act.READ, wire.Board)
    def get_board(query: wire.BoardQuery) -> wire.Board | Response:
        """Titles x platforms x channels: what is live where, what waits and what stops it; at any moment."""
        actor = current_actor()
        if query.at:
            return board.get_board(services, actor, query)
        told = now.get(services, actor)
        if not request.accept_encodings.quality("gzip"):
            return Response(told.plain, content_type="application/json", headers={"Vary": "Accept-Encoding"})
        headers = {"Vary": "Accept-Encoding", "Content-Encoding": "gzip"}
        return Response(told.packed, content_type="application/json", headers=headers)

    return api
