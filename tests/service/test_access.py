"""Who may call what: every route, with every role, against a table written by hand."""

from __future__ import annotations

from rampa.operations.people import tokens
from rampa.schema.common import Role
from rampa.service.wiring import make_app
from tests.conftest import OWNER, World
from tests.refusals import refuses

EVERYBODY, ALL, MAKE, FETCH, TEST = "oetvr", "oev", "oea", "oevd", "oetv"
ENGINEER, OWN, AGENT, DEVICE = "oe", "o", "a", "d"
LISTING = "/api/v1/titles/<string:title>/listing"
SUBMISSION = "/api/v1/titles/<string:title>/submissions/<int:submission>"
EXPECTED = {
    "POST /api/v1/session": "public",
    "GET /api/v1/session": EVERYBODY,
    "DELETE /api/v1/session": EVERYBODY,
    "GET /api/v1/people": ALL,
    "POST /api/v1/people/invitations": OWN,
    "PATCH /api/v1/people/<string:person>": OWN,
    "POST /api/v1/people/<string:person>/reset": OWN,
    "POST /api/v1/invitation": "public",
    "PUT /api/v1/session/password": EVERYBODY,
    "POST /api/v1/session/second-factor": EVERYBODY,
    "PUT /api/v1/session/second-factor": EVERYBODY,
    "DELETE /api/v1/session/second-factor": EVERYBODY,
    "POST /api/v1/session/confirmation": EVERYBODY,
    "POST /api/v1/session/confirmation/challenge": EVERYBODY,
    "POST /api/v1/session/confirmation/passkey": EVERYBODY,
    "GET /api/v1/session/passkeys": EVERYBODY,
    "POST /api/v1/session/passkeys/challenge": EVERYBODY,
    "POST /api/v1/session/passkeys": EVERYBODY,
    "DELETE /api/v1/session/passkeys/<string:passkey>": EVERYBODY,
    "POST /api/v1/session/passkey/challenge": "public",
    "POST /api/v1/session/passkey": "public",
    "GET /api/v1/session/ways": "public",
    "POST /api/v1/session/requests": "public",
    "POST /api/v1/session/requests/token": "public",
    "GET /api/v1/session/requests/<string:user_code>": EVERYBODY,
    "POST /api/v1/session/requests/<string:user_code>": EVERYBODY,
    "POST /api/v1/session/provider": "public",
    "POST /api/v1/session/provider/return": "public",
    "POST /api/v1/people": OWN,
    "GET /api/v1/tokens": EVERYBODY,
    "POST /api/v1/tokens": EVERYBODY,
    "DELETE /api/v1/tokens/<string:token_id>": EVERYBODY,
    "GET /api/v1/titles": ALL,
    "POST /api/v1/titles": ENGINEER,
    "GET /api/v1/titles/<string:title>": ALL,
    "GET /api/v1/titles/<string:title>/revisions": ALL,
    "POST /api/v1/titles/<string:title>/revisions": ENGINEER,
    "GET /api/v1/titles/<string:title>/revisions/<int:revision>": ALL,
    "GET /api/v1/titles/<string:title>/revisions/<int:revision>/change": ALL,
    "GET /api/v1/titles/<string:title>/ramp": ALL,
    "GET /api/v1/settings": ALL,
    "GET /api/v1/titles/<string:title>/profiles/<string:profile>": ALL,
    "GET /api/v1/titles/<string:title>/matrix": ALL,
    "GET /api/v1/titles/<string:title>/check": ALL,
    "GET /api/v1/titles/<string:title>/comparison": ALL,
    "POST /api/v1/documents/read": ALL,
    "POST /api/v1/documents/propose": ALL,
    "POST /api/v1/pictures/sets": ALL,
    "GET /api/v1/titles/<string:title>/draft": ALL,
    "PUT /api/v1/titles/<string:title>/draft": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/draft": ENGINEER,
    "POST /api/v1/titles/<string:title>/draft/review": ALL,
    "PUT /api/v1/titles/<string:title>/owner": OWN,
    "PUT /api/v1/titles/<string:title>/sandbox": OWN,
    "GET /api/v1/keys": ALL,
    "POST /api/v1/keys": ENGINEER,
    "POST /api/v1/keys/outside": OWN,
    "GET /api/v1/keys/<string:name>": ALL,
    "GET /api/v1/keys/<string:name>/uses": ALL,
    "POST /api/v1/keys/<string:name>/unlock": ENGINEER,
    "POST /api/v1/keys/<string:name>/lock": ENGINEER,
    "POST /api/v1/keys/<string:name>/export": OWN,
    "GET /api/v1/keys/<string:name>/probe": ENGINEER,
    "POST /api/v1/keys/<string:name>/drill": ENGINEER,
    "POST /api/v1/keys/<string:name>/hand-over": OWN,
    "PUT /api/v1/keys/<string:name>/policy": OWN,
    "POST /api/v1/titles/<string:title>/runs/<int:run>/approve": ENGINEER,
    "GET /api/v1/keys/<string:name>/succession": ALL,
    "POST /api/v1/vault/master-key": OWN,
    "GET /api/v1/titles/<string:title>/versions": ALL,
    "GET /api/v1/titles/<string:title>/versions/next": ALL,
    "POST /api/v1/titles/<string:title>/versions/taken": ENGINEER,
    "GET /api/v1/titles/<string:title>/grants": ALL,
    "POST /api/v1/titles/<string:title>/grants": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/grant": FETCH,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/re-sign": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/provenance": ALL,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/signatures": MAKE,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/bundle": MAKE,
    "GET /api/v1/symbols/<string:ident>": ALL,
    "GET /api/v1/titles/<string:title>/builds": ALL,
    "POST /api/v1/titles/<string:title>/builds": MAKE,
    "GET /api/v1/titles/<string:title>/builds/<int:build>": ALL,
    "PATCH /api/v1/titles/<string:title>/builds/<int:build>": ENGINEER,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/missing": MAKE,
    "PUT /api/v1/titles/<string:title>/builds/<int:build>/packs/<string:pack>": MAKE,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/complete": MAKE,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/abandon": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/files": ALL,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/left-out": ALL,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/statement": FETCH,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/depots/<string:depot>/manifest": FETCH,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/locations": FETCH,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/depots/<string:depot>/manifest-difference": FETCH,
    "GET /api/v1/titles/<string:title>/updates/differences": ALL,
    "POST /api/v1/titles/<string:title>/updates/differences": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/content-keys": FETCH,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/content-keys/unseal": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/content": ALL,
    "GET /api/v1/store": ENGINEER,
    "GET /api/v1/store/check": ENGINEER,
    "POST /api/v1/store/check": OWN,
    "POST /api/v1/store/check/cancel": OWN,
    "POST /api/v1/store/collect/preview": ENGINEER,
    "POST /api/v1/store/collect": OWN,
    "POST /api/v1/store/repack/preview": ENGINEER,
    "POST /api/v1/store/repack": OWN,
    "GET /api/v1/titles/<string:title>/updates/matrix": ALL,
    "GET /api/v1/titles/<string:title>/updates/depots": ALL,
    "GET /api/v1/titles/<string:title>/replays": ALL,
    "POST /api/v1/titles/<string:title>/replays": ENGINEER,
    "GET /api/v1/titles/<string:title>/replays/<int:replay>": ALL,
    "POST /api/v1/titles/<string:title>/replays/<int:replay>/stop": ENGINEER,
    "POST /api/v1/titles/<string:title>/replays/<int:replay>/go-on": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/depot-plan": ALL,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/player-packs": ALL,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/player-packs": ENGINEER,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/player-packs/stop": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/bundle": ALL,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/signature": ALL,
    "GET /api/v1/packs/<string:pack>": FETCH + AGENT,
    "GET /api/v1/titles/<string:title>/channels": ALL,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>": ALL,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/offer": FETCH,
    "POST /api/v1/titles/<string:title>/channels": ENGINEER,
    "PUT /api/v1/titles/<string:title>/channels/<string:channel>/gates": OWN,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/builds/<int:build>/gates": ALL,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/builds/<int:build>/approval": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/builds/<int:build>/waiver": OWN,
    "PATCH /api/v1/titles/<string:title>/channels/<string:channel>": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/channels/<string:channel>": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/preview": ALL,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/placements": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/withdraw": ENGINEER,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>": ALL,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/grow": ENGINEER,
    "PUT /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/plan": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/hold": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/go-on": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/roll-back/preview": ALL,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/roll-back": ENGINEER,
    "GET /api/v1/titles/<string:title>/releases": ALL,
    "POST /api/v1/titles/<string:title>/releases": ENGINEER,
    "GET /api/v1/titles/<string:title>/releases/<int:release>": ALL,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/builds": ENGINEER,
    "PUT /api/v1/titles/<string:title>/releases/<int:release>/left-out": ENGINEER,
    "PUT /api/v1/titles/<string:title>/releases/<int:release>/notes": ENGINEER,
    "GET /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/notes-draft": ALL,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/preview": ALL,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/placements": ENGINEER,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/grow": ENGINEER,
    "PUT /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/plan": ENGINEER,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/hold": ENGINEER,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/go-on": ENGINEER,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/withdraw": ENGINEER,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/roll-back/preview": ALL,
    "POST /api/v1/titles/<string:title>/releases/<int:release>/channels/<string:channel>/roll-back": ENGINEER,
    "GET /api/v1/board": ALL,
    "GET /api/v1/titles/<string:title>/scheduled": ALL,
    "POST /api/v1/titles/<string:title>/scheduled": ENGINEER,
    "PATCH /api/v1/titles/<string:title>/scheduled/<int:scheduled>": ENGINEER,
    "POST /api/v1/titles/<string:title>/scheduled/<int:scheduled>/cancel": ENGINEER,
    "POST /api/v1/health/<string:identifier>": "public",
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/placements/<int:placement>/health": ALL,
    "GET /api/v1/titles/<string:title>/crashes": ENGINEER,
    "GET /api/v1/titles/<string:title>/crashes/<int:crash>": ENGINEER,
    "GET /api/v1/offers/<string:identifier>/<string:channel>/<string:platform>": "public",
    "GET /api/v1/titles/<string:title>/devices": ALL,
    "POST /api/v1/titles/<string:title>/devices": ENGINEER,
    "PUT /api/v1/titles/<string:title>/devices/<string:device>/report": ENGINEER + DEVICE,
    "GET /api/v1/titles/<string:title>/trust": ALL,
    "POST /api/v1/titles/<string:title>/trust/draft": OWN,
    "POST /api/v1/titles/<string:title>/trust/root": OWN,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/trust": FETCH,
    "GET /api/v1/titles/<string:title>/delivery/files": ALL,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/delivery-address": FETCH,
    "GET /api/v1/delivery/closed/<string:ticket>/<string:identifier>/<path:name>": "public",
    "GET /api/v1/delivery/<string:identifier>/<path:name>": "public",
    "GET /api/v1/titles/<string:title>/delivery/origins": ALL,
    "POST /api/v1/titles/<string:title>/delivery/origins": OWN,
    "PATCH /api/v1/titles/<string:title>/delivery/origins/<string:origin>": OWN,
    "DELETE /api/v1/titles/<string:title>/delivery/origins/<string:origin>": OWN,
    "GET /api/v1/account/notices": ALL,
    "PUT /api/v1/account/notices": ALL,
    "GET /api/v1/testing/screens": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/screens": TEST,
    "GET /api/v1/testing/screens/<string:device>": TEST,
    "GET /api/v1/testing/screens/<string:device>/picture": TEST,
    "POST /api/v1/testing/screens/<string:device>/acts": TEST,
    "PUT /api/v1/testing/screens/<string:device>/settings": TEST,
    "DELETE /api/v1/titles/<string:title>/devices/<string:device>": ENGINEER,
    "POST /api/v1/titles/<string:title>/devices/<string:device>/re-sign": ENGINEER,
    "POST /api/v1/devices": "public",
    "POST /api/v1/devices/<string:device_id>/challenge": "public",
    "POST /api/v1/devices/<string:device_id>/session": "public",
    "GET /api/v1/titles/<string:title>/builds/<int:build>/restriction": FETCH,
    "GET /api/v1/titles/<string:title>/testers": ENGINEER,
    "POST /api/v1/titles/<string:title>/testers/<string:person>/withdraw": ENGINEER,
    "GET /api/v1/titles/<string:title>/groups": ENGINEER,
    "POST /api/v1/titles/<string:title>/groups": ENGINEER,
    "PATCH /api/v1/titles/<string:title>/groups/<string:group>": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/groups/<string:group>": ENGINEER,
    "POST /api/v1/titles/<string:title>/groups/<string:group>/members": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/groups/<string:group>/members/<string:person>": ENGINEER,
    "POST /api/v1/titles/<string:title>/groups/<string:group>/invitations": ENGINEER,
    "POST /api/v1/titles/<string:title>/groups/<string:group>/invitations/preview": ENGINEER,
    "GET /api/v1/titles/<string:title>/invitations": ENGINEER,
    "POST /api/v1/titles/<string:title>/invitations/<string:invitation>/resend": ENGINEER,
    "POST /api/v1/titles/<string:title>/invitations/<string:invitation>/withdraw": ENGINEER,
    "GET /api/v1/titles/<string:title>/channels/<string:channel>/access": ENGINEER,
    "POST /api/v1/titles/<string:title>/channels/<string:channel>/access": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/channels/<string:channel>/access/<string:access>": ENGINEER,
    "POST /api/v1/join": "public",
    "POST /api/v1/join/look": "public",
    "POST /api/v1/join/decline": "public",
    "GET /api/v1/titles/<string:title>/checklists": ALL,
    "PUT /api/v1/titles/<string:title>/checklists": ENGINEER,
    "GET /api/v1/listing-rules": ALL,
    "GET /api/v1/storefronts": ALL,
    "POST /api/v1/storefronts": OWN,
    "POST /api/v1/storefronts/return": OWN,
    **{f"POST /api/v1/storefronts/<string:storefront>/{act}": OWN for act in ("connect", "look")},
    "DELETE /api/v1/storefronts/<string:storefront>": OWN,
    # Open to whoever has the account's key for notices.
    "POST /api/v1/storefronts/<string:storefront>/notices": "ticket",
    "GET /api/v1/titles/<string:title>/submission-plan": ALL,
    "GET /api/v1/titles/<string:title>/submissions": ALL,
    "POST /api/v1/titles/<string:title>/submissions": ENGINEER,
    f"GET {SUBMISSION}": ALL,
    **{f"POST {SUBMISSION}/{act}": ENGINEER for act in ("look", "acts")},
    f"GET {SUBMISSION}/hand-in": ENGINEER,
    "GET /api/v1/titles/<string:title>/people": ALL,
    **{f"{method} /api/v1/titles/<string:title>/people/<string:person>": OWN for method in ("PUT", "DELETE")},
    "GET /api/v1/studio": "oevr",
    "PUT /api/v1/studio": OWN,
    "GET /api/v1/studio/documents/<string:kind>": "or",
    **{f"{method} /api/v1/studio/documents/<string:kind>": OWN for method in ("PUT", "DELETE")},
    **{f"POST /api/v1/studio/verifications/<string:verifier>{part}": OWN for part in ("", "/look")},
    "POST /api/v1/studio/verdict": "or",
    "GET /api/v1/calendar": ALL,
    "POST /api/v1/calendar/agreements": OWN,
    "DELETE /api/v1/calendar/agreements/<string:agreement>": OWN,
    **{f"{method} /api/v1/calendar/feed": ALL for method in ("POST", "DELETE")},
    "GET /api/v1/calendar/feeds/<string:secret>": "public",
    "GET /api/v1/reviews": "oevr",
    "GET /api/v1/reviews/times": "oevr",
    "POST /api/v1/titles/<string:title>/reviews": ENGINEER,
    "GET /api/v1/titles/<string:title>/reviews/<int:review>": "oevr",
    "POST /api/v1/titles/<string:title>/reviews/<int:review>/acts": "oevr",
    "GET /api/v1/studio-rules": ALL,
    "POST /api/v1/studio-rules": ENGINEER,
    "DELETE /api/v1/studio-rules/<string:rule>": ENGINEER,
    **{f"GET {LISTING}{part}": ALL for part in ("", "/states", "/states/<int:number>", "/states/<int:number>/change")},
    **{f"GET {LISTING}{part}": ALL for part in ("/draft", "/draft/review", "/check", "/shown", "/links", "/rating")},
    f"GET {LISTING}/pictures/<string:digest>": ALL,
    f"DELETE {LISTING}/draft": ENGINEER,
    **{f"POST {LISTING}{part}": ENGINEER for part in ("", "/draft/edits", "/draft/rebase", "/draft/save")},
    **{f"POST {LISTING}{part}": ENGINEER for part in ("/pictures", "/links/look", "/rating/affirm")},
    "GET /api/v1/titles/<string:title>/builds/<int:build>/source-archive": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/sign-offs": ALL,
    "GET /api/v1/titles/<string:title>/releases/<int:release>/sign-offs": ALL,
    "GET /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/sign-offs": TEST,
    "PUT /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/sign-offs/<string:checklist>": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/sign-offs/<string:checklist>"
    "/reopen": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/pictures": TEST,
    "GET /api/v1/testing/pictures/<string:picture>": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/feedback": TEST,
    "GET /api/v1/testing/feedback": TEST,
    "POST /api/v1/testing/feedback/<string:feedback_id>/reply": TEST,
    "GET /api/v1/titles/<string:title>/feedback": ALL,
    "GET /api/v1/titles/<string:title>/feedback/<int:feedback>": ALL,
    "POST /api/v1/titles/<string:title>/feedback/<int:feedback>/answer": ENGINEER,
    "POST /api/v1/titles/<string:title>/feedback/<int:feedback>/close": ENGINEER,
    "POST /api/v1/titles/<string:title>/feedback/<int:feedback>/reopen": ENGINEER,
    "GET /api/v1/titles/<string:title>/webhooks": ENGINEER,
    "POST /api/v1/titles/<string:title>/webhooks": ENGINEER,
    "PATCH /api/v1/titles/<string:title>/webhooks/<string:webhook>": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/webhooks/<string:webhook>": ENGINEER,
    "GET /api/v1/titles/<string:title>/webhooks/<string:webhook>/deliveries": ENGINEER,
    "POST /api/v1/titles/<string:title>/webhooks/<string:webhook>/deliveries/<string:delivery>/resend": ENGINEER,
    "GET /api/v1/feeds/<string:identifier>/<string:channel>": "public",
    "GET /api/v1/testing": TEST,
    "GET /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/builds/<int:build>/address": TEST,
    "POST /api/v1/testing/titles/<string:title>/channels/<string:channel>/registration": TEST,
    "GET /api/v1/testing/devices": TEST,
    "DELETE /api/v1/testing/devices/<string:device>": TEST,
    # By what stands in the address; nobody's role counts.
    "GET /api/v1/downloads/<string:ticket>/<string:file>": "ticket",
    "GET /api/v1/events": ALL,
    "GET /api/v1/events/acts": ALL,
    "PUT /api/v1/titles/<string:title>/source": ENGINEER,
    "GET /api/v1/titles/<string:title>/source": ALL,
    "POST /api/v1/titles/<string:title>/source/fetch": ENGINEER,
    "PUT /api/v1/titles/<string:title>/source/defaults": ENGINEER,
    "GET /api/v1/titles/<string:title>/source/refs": ALL,
    "GET /api/v1/titles/<string:title>/source/commits": ALL,
    "GET /api/v1/titles/<string:title>/source/matches": ALL,
    "GET /api/v1/titles/<string:title>/source/proposal": ALL,
    "GET /api/v1/titles/<string:title>/source/modules": MAKE,
    "POST /api/v1/repositories/try": ENGINEER,
    "GET /api/v1/titles/<string:title>/source/git/<string:repo>/info/refs": MAKE,
    "POST /api/v1/titles/<string:title>/source/git/<string:repo>/git-upload-pack": MAKE,
    "GET /api/v1/titles/<string:title>/folders": ALL,
    "POST /api/v1/titles/<string:title>/folders": ENGINEER,
    "POST /api/v1/titles/<string:title>/folders/missing": ENGINEER,
    "PUT /api/v1/titles/<string:title>/folders/packs/<string:pack>": ENGINEER,
    "GET /api/v1/titles/<string:title>/folders/<int:folder>/manifest": MAKE,
    "GET /api/v1/titles/<string:title>/folders/<int:folder>/locations": MAKE,
    "GET /api/v1/titles/<string:title>/triggers": ALL,
    "POST /api/v1/titles/<string:title>/triggers": ENGINEER,
    "PUT /api/v1/titles/<string:title>/triggers/<string:trigger>": ENGINEER,
    "DELETE /api/v1/titles/<string:title>/triggers/<string:trigger>": ENGINEER,
    "POST /api/v1/titles/<string:title>/triggers/<string:trigger>/call": "public",
    "GET /api/v1/variables": ENGINEER,
    "GET /api/v1/variables/<string:variables>": ENGINEER,
    "PUT /api/v1/variables/<string:variables>": ENGINEER,
    "DELETE /api/v1/variables/<string:variables>": ENGINEER,
    "GET /api/v1/titles/<string:title>/runs": ALL,
    "POST /api/v1/titles/<string:title>/runs": ENGINEER,
    "POST /api/v1/titles/<string:title>/runs/plan": ALL,
    "GET /api/v1/titles/<string:title>/runs/stream": ALL,
    "GET /api/v1/titles/<string:title>/bisects": ALL,
    "POST /api/v1/titles/<string:title>/bisects": ENGINEER,
    "POST /api/v1/titles/<string:title>/bisects/plan": MAKE,
    "GET /api/v1/titles/<string:title>/bisects/<int:bisect>": ALL,
    "POST /api/v1/titles/<string:title>/bisects/<int:bisect>/cancel": ENGINEER,
    "GET /api/v1/titles/<string:title>/bisects/<int:bisect>/diff": MAKE,
    "GET /api/v1/titles/<string:title>/runs/<int:run>": ALL,
    "POST /api/v1/titles/<string:title>/runs/<int:run>/cancel": ENGINEER,
    "POST /api/v1/titles/<string:title>/runs/<int:run>/repeat": ENGINEER,
    "GET /api/v1/titles/<string:title>/runs/<int:run>/log": ALL,
    "GET /api/v1/titles/<string:title>/runs/<int:run>/log/search": ALL,
    "GET /api/v1/titles/<string:title>/runs/<int:run>/log.txt": ALL,
    "GET /api/v1/titles/<string:title>/runs/<int:run>/stream": ALL,
    "GET /api/v1/queue": ALL,
    "GET /api/v1/agents": ALL,
    "GET /api/v1/agents/<string:agent>": ALL,
    "PUT /api/v1/agents/<string:agent>": AGENT,
    "POST /api/v1/agents/<string:agent>/enrolment": ENGINEER,
    "POST /api/v1/agents/<string:agent>/key": "public",
    "POST /api/v1/agents/<string:agent>/token": "public",
    "PATCH /api/v1/agents/<string:agent>": ENGINEER,
    "DELETE /api/v1/agents/<string:agent>": ENGINEER,
    "POST /api/v1/agents/<string:agent>/work": AGENT,
    "POST /api/v1/agents/<string:agent>/goodbye": AGENT,
    "POST /api/v1/agents/<string:agent>/runs/<string:lease>/beat": AGENT,
    "POST /api/v1/agents/<string:agent>/runs/<string:lease>/step": AGENT,
    "POST /api/v1/agents/<string:agent>/runs/<string:lease>/log": AGENT,
    "POST /api/v1/agents/<string:agent>/runs/<string:lease>/letter": AGENT,
    "POST /api/v1/agents/<string:agent>/runs/<string:lease>/end": AGENT,
    "GET /api/v1/titles/<string:title>/builds/comparison": ALL,
    "POST /api/v1/titles/<string:title>/builds/<int:build>/sign": MAKE,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/symbols/manifest": ENGINEER,
    "GET /api/v1/titles/<string:title>/builds/<int:build>/symbols/locations": ENGINEER,
    "GET /api/v1/titles/<string:title>/retention": ALL,
    "PUT /api/v1/titles/<string:title>/retention": ENGINEER,
    "POST /api/v1/titles/<string:title>/retention/preview": ALL,
    "POST /api/v1/titles/<string:title>/retention/apply": ENGINEER,
    "GET /api/v1/openapi.json": "public",
    "GET /healthz": "public",
    "GET /readyz": "public",
    "GET /metrics": "public",
    "GET /": "public",
    "GET /<path:path>": "public",
}
FILLED = {
    "<int:number>": "1",
    "<string:storefront>": "northquay",
    "<int:submission>": "1",
    "<int:review>": "1",
    "<string:agreement>": "northquay-terms",
    "<string:secret>": "a" * 43,
    "<string:rule>": "private-words",
    "<string:digest>": "0" * 64,
    "<int:release>": "1",
    "<string:group>": "night-crew",
    "<string:webhook>": "night",
    "<string:delivery>": "00000000-0000-0000-0000-000000000000",
    "<int:feedback>": "1",
    "<string:feedback_id>": "00000000-0000-0000-0000-000000000000",
    "<string:checklist>": "night",
    "<string:picture>": "00000000-0000-0000-0000-000000000000",
    "<string:invitation>": "00000000-0000-0000-0000-000000000000",
    "<string:access>": "00000000-0000-0000-0000-000000000000",
    "<string:device_id>": "00000000-0000-0000-0000-000000000000",
    "<string:ticket>": "AAAA",
    "<string:file>": "peatlight.zip",
    "<int:scheduled>": "1",
    "<int:crash>": "1",
    "<int:bisect>": "1",
    "<string:person>": "00000000-0000-0000-0000-000000000000",
    "<int:folder>": "1",
    "<int:run>": "1",
    "<string:agent>": "walker",
    "<string:lease>": "0" * 32,
    "<string:repo>": "source.git",
    "<string:ident>": "0" * 40,
    "<string:trigger>": "night",
    "<string:variables>": "desktop",
    "<string:profile>": "linux-release",
    "<string:title>": "peatlight", "<int:build>": "1", "<string:channel>": "studio", "<int:placement>": "1",
    "<string:device>": "desk", "<int:revision>": "1", "<string:name>": "none", "<string:depot>": "base",
    "<int:replay>": "1",
    "<string:pack>": "0" * 64, "<string:token_id>": "00000000-0000-0000-0000-000000000000", "<path:path>": "titles",
}  # fmt: skip


def routes(world: World) -> list[str]:
    return [
        f"{method} {rule.rule}"
        for rule in world.app.url_map.iter_rules()  # type: ignore[attr-defined]
        for method in sorted(rule.methods - {"HEAD", "OPTIONS"})
    ]


def filled(rule: str) -> str:
    for part, value in FILLED.items():
        rule = rule.replace(part, value)
    return rule


def test_every_route_stands_in_the_table(world: World) -> None:
    assert sorted(routes(world)) == sorted(EXPECTED)


def test_every_route_with_every_role(world: World) -> None:
    tokens = {role: world.token(role) for role in Role}
    http = world.app.test_client()  # type: ignore[attr-defined]
    for route, may in EXPECTED.items():
        method, rule = route.split(" ", 1)
        without = http.open(filled(rule), method=method, json={}).status_code
        if may == "public":
            assert without not in (401, 403), route
            continue
        if may == "ticket":
            assert without == 403, route
            continue
        assert without == 401, route
        for role, token in tokens.items():
            if route == "DELETE /api/v1/session":
                continue
            headers = {"Authorization": f"Bearer {token}"}
            # The walk goes on with this agent.
            at = filled(rule) if route != "DELETE /api/v1/agents/<string:agent>" else "/api/v1/agents/none"
            status = http.open(at, method=method, json={}, headers=headers).status_code
            assert (status == 403) == (role.value[0] not in may), f"{route} as {role}: {status}"
            assert status not in (401, 500), f"{route} as {role}: {status}"


def test_an_undeclared_route_is_closed(world: World) -> None:
    app = make_app(world.services)
    app.add_url_rule("/forgotten", "forgotten", lambda: "secret")
    answer = app.test_client().get("/forgotten", headers={"Authorization": f"Bearer {world.token()}"})
    assert answer.status_code == 403
    assert "secret" not in answer.text


def test_the_console_s_cookie_needs_the_csrf_token_for_changes(world: World) -> None:
    http = world.app.test_client()  # type: ignore[attr-defined]
    body = {"email": OWNER, "password": world.owner_password}
    answer = http.post("/api/v1/session", json=body)
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert http.get("/api/v1/titles").status_code == 200
    assert http.post("/api/v1/tokens", json={"name": "x"}).status_code == 403
    good = {"X-CSRF-Token": answer.json["csrf_token"]}
    assert http.post("/api/v1/tokens", json={"name": "x"}, headers=good).status_code == 201
    assert http.delete("/api/v1/session", headers=good).status_code == 204
    assert http.get("/api/v1/titles").status_code == 401


def test_guessing_is_slowed_down(world: World) -> None:
    http = world.app.test_client()  # type: ignore[attr-defined]
    wrong = {"email": OWNER, "password": "wrong"}
    statuses = [http.post("/api/v1/session", json=wrong).status_code for _ in range(12)]
    assert statuses == [401] * 10 + [429] * 2


def test_an_expired_token_says_so(world: World) -> None:
    with refuses("token.expired", "expired"):
        tokens.find_token(world.services, world.token(days=1)) and tokens.find_token(
            type(world.services)(world.services.db, world.services.store, world.services.master_key, _in_two_days),
            world.token(days=1),
        )


def test_a_token_never_outgrows_its_person(world: World) -> None:
    viewer = world.token(Role.VIEWER)
    http = world.app.test_client()  # type: ignore[attr-defined]
    headers = {"Authorization": f"Bearer {viewer}"}
    assert http.post("/api/v1/tokens", json={"name": "x", "role": "owner"}, headers=headers).status_code == 403


def test_secrets_are_not_kept_readable(world: World) -> None:
    token = world.token()
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select * from token").fetchall())
        kept += str(connection.exec_driver_sql("select * from person").fetchall())
    assert token not in kept
    assert world.owner_password not in kept
    assert "argon2id" in kept


def _in_two_days():  # type: ignore[no-untyped-def]
    import datetime as dt

    return dt.datetime.now(dt.UTC) + dt.timedelta(days=2)
