"""Builds side by side; retention."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.builds import bundle_signatures, comparison, completion, retention, written_bundle
from rampa.operations.content import places, stored_trees
from rampa.schema.builds import builds as builds_wire
from rampa.schema.builds import changes as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.ranges import BYTES
from rampa.service.base.resource import Resource

RETENTION = "/titles/<string:title>/retention"
LINES = "application/jsonl"
BUILD = "/titles/<string:title>/builds/<int:build>"


def resource(services: Services) -> Resource:
    api = Resource("build_changes")

    @api.call("GET", "/titles/<string:title>/builds/comparison", Act.READ, wire.BuildComparison)
    def compare_builds(path: TitlePath, query: wire.BuildPairQuery) -> wire.BuildComparison:
        """Two builds: settings, commits between, files, folders, findings, durations, tools."""
        return comparison.compare_builds(services, path.title, query)

    @api.call("POST", BUILD + "/bundle", Act.MAKE_BUILD, LINES)
    def write_bundle(path: builds_wire.BuildPath, body: builds_wire.WriteBundleIn) -> Response:
        """Write the bundle out of content that has arrived, so that it need not be sent: JSON lines (`BundleWriting`) say how far
        it is, the last one whether it came out as was said."""
        wanted = written_bundle.look_at_wanted(services, current_actor(), path.title, path.build, body)
        far = written_bundle.write_wanted(services, wanted)
        lines = (f"{each.model_dump_json()}\n".encode() for each in far)
        # A server in front must not keep the lines until there are many.
        return Response(lines, content_type=LINES, headers={"X-Accel-Buffering": "no"})

    @api.call("POST", BUILD + "/sign", Act.MAKE_BUILD, builds_wire.Build)
    def sign_bundle(path: builds_wire.BuildPath, body: builds_wire.SignBundleIn) -> builds_wire.Build:
        """Sign the bundle of an open build, once its chunks have arrived."""
        return completion.sign_bundle(services, current_actor(), path.title, path.build, body)

    @api.call("POST", BUILD + "/signatures", Act.MAKE_BUILD, builds_wire.SignaturesOut)
    def sign_inside(path: builds_wire.BuildPath, body: builds_wire.SignBundleIn) -> builds_wire.SignaturesOut:
        """The signatures of an unsigned package that was sent, once a build: the service works out what is signed."""
        return bundle_signatures.sign_inside(services, current_actor(), path.title, path.build, body)

    @api.call("GET", "/symbols/<string:ident>", Act.READ, builds_wire.SymbolsFound)
    def find_symbols(path: builds_wire.SymbolsPath) -> builds_wire.SymbolsFound:
        """Which builds keep the symbols of a native binary, by its build id."""
        return stored_trees.find_symbols(services, path.ident)

    @api.call("GET", BUILD + "/symbols/manifest", Act.READ_SYMBOLS, BYTES)
    def get_symbols_manifest(path: builds_wire.BuildPath) -> Response:
        """The manifest of the symbols that are kept with a build."""
        return Response(stored_trees.symbols_manifest(services, path.title, path.build), content_type=BYTES)

    @api.call("GET", BUILD + "/symbols/locations", Act.READ_SYMBOLS, BYTES)
    def get_symbols_locations(path: builds_wire.BuildPath) -> Response:
        """Where the symbols' chunks lie."""
        return Response(places.symbols_locations(services, path.title, path.build), content_type=BYTES)

    @api.call("GET", RETENTION, Act.READ, wire.RetentionOut)
    def get_retention(path: TitlePath) -> wire.RetentionOut:
        """The policy, what would go now, and what stays although it is old."""
        return retention.preview(services, path.title, None)

    @api.call("POST", RETENTION + "/preview", Act.READ, wire.RetentionOut)
    def preview_retention(path: TitlePath, body: wire.RetentionPolicy) -> wire.RetentionOut:
        """What would go under another policy. Changes nothing."""
        return retention.preview(services, path.title, body)

    @api.call("PUT", RETENTION, Act.SET_RETENTION, wire.RetentionOut)
    def set_retention(path: TitlePath, body: wire.RetentionPolicy) -> wire.RetentionOut:
        """Set the policy. Removes nothing by itself."""
        return retention.set_policy(services, current_actor(), path.title, body)

    @api.call("POST", RETENTION + "/apply", Act.SET_RETENTION, wire.RetentionOut)
    def apply_retention(path: TitlePath, body: wire.RemoveIn) -> wire.RetentionOut:
        """Remove the builds that the preview showed; if others would go now, nothing is removed."""
        return retention.apply(services, current_actor(), path.title, body.builds)

    return api
