"""Updates: their differences."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.builds import reading
from rampa.operations.content import folders
from rampa.operations.layout import asking
from rampa.operations.signing import content_keys
from rampa.operations.updates import depots, differences, for_players, matrix
from rampa.schema import content as content_wire
from rampa.schema import layout as layout_wire
from rampa.schema import updates as wire
from rampa.schema.builds.builds import BuildPath
from rampa.schema.signing import content_keys as keys_wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

BUILD = "/titles/<string:title>/builds/<int:build>"
UPDATES = "/titles/<string:title>/updates"


def resource(services: Services) -> Resource:
    api = Resource("updates")

    @api.call("GET", UPDATES + "/differences", Act.READ, wire.PreparedOut)
    def get_differences(path: TitlePath, query: wire.PreparedQuery) -> wire.PreparedOut:
        """How far the differences of an update are, and what it costs with and without them."""
        return differences.prepared(services, path.title, query.new, query.old)

    @api.call("POST", UPDATES + "/differences", Act.PREPARE_UPDATE, wire.PreparedOut, status=202)
    def make_differences(path: TitlePath, body: wire.PrepareIn) -> wire.PreparedOut:
        """Make the differences of an update in the background, again."""
        return differences.make_now(services, current_actor(), path.title, body)

    @api.call("GET", UPDATES + "/matrix", Act.READ, wire.UpdateMatrix)
    def get_update_matrix(path: TitlePath, query: wire.MatrixQuery) -> wire.UpdateMatrix:
        """What every update between builds costs, exactly; by default those that are live or on devices, and the newest."""
        return matrix.matrix(services, path.title, query)

    @api.call("GET", UPDATES + "/depots", Act.READ, wire.DepotComparison)
    def compare_depots(path: TitlePath, query: wire.PairQuery) -> wire.DepotComparison:
        """Two builds by depot, and the files that cost most with the reason."""
        return depots.compare_depots(services, path.title, query)

    @api.call("GET", BUILD + "/player-packs", Act.READ, layout_wire.LayoutOut)
    def get_player_packs(path: BuildPath) -> layout_wire.LayoutOut:
        """How far a build's packs for players are, how they were chosen, and what a fresh install costs with and without them."""
        return for_players.show_layout(services, path.title, path.build)

    @api.call("POST", BUILD + "/player-packs", Act.PREPARE_UPDATE, layout_wire.LayoutOut, status=202)
    def make_player_packs(path: BuildPath) -> layout_wire.LayoutOut:
        """Make a build's packs for players in the background, or go on with those that were stopped."""
        asking.make_now(services, current_actor(), path.title, path.build)
        return for_players.show_layout(services, path.title, path.build)

    @api.call("POST", BUILD + "/player-packs/stop", Act.PREPARE_UPDATE, layout_wire.LayoutOut)
    def stop_player_packs(path: BuildPath) -> layout_wire.LayoutOut:
        """Stop making a build's packs for players; what is there is kept for going on."""
        asking.stop(services, current_actor(), path.title, path.build)
        return for_players.show_layout(services, path.title, path.build)

    @api.call("GET", BUILD + "/depot-plan", Act.READ, wire.DepotPlan)
    def get_depot_plan(path: BuildPath, query: wire.DepotPlanQuery) -> wire.DepotPlan:
        """Which depots a device gets, and what it downloads."""
        return depots.depot_plan(services, path.title, path.build, query)

    @api.call("GET", BUILD + "/content", Act.READ, content_wire.ContentFolder)
    def get_content(path: BuildPath, query: content_wire.FolderQuery) -> content_wire.ContentFolder:
        """One folder of a build's content, largest first, with what stayed out; and a treemap of it."""
        return folders.content_folder(services, path.title, path.build, query.folder)

    @api.call("GET", BUILD + "/content-keys", Act.FETCH_BUILD, keys_wire.ContentKeys)
    def get_content_keys(path: BuildPath) -> keys_wire.ContentKeys:
        """The wrapped keys of a build's encrypted depots; the unsealing key once it is given out."""
        reading.readable(services, current_actor(), path.title, path.build)
        return content_keys.get_keys(services, path.title, path.build)

    @api.call("POST", BUILD + "/content-keys/unseal", Act.UNSEAL, keys_wire.ContentKeys)
    def unseal_content(path: BuildPath) -> keys_wire.ContentKeys:
        """Unseal: give the unsealing key out: from then on whoever has the content can read it. It cannot be taken back."""
        return content_keys.unseal_build(services, current_actor(), path.title, path.build)

    return api
