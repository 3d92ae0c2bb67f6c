"""What each act says to people: one sentence an act, with the name of who did it before it."""

from __future__ import annotations

from collections.abc import Mapping
from string import Formatter
from typing import Any

SENTENCES = {
    "agent.enrol": "enrolled as agent {subject}, by a code of {by}",
    "agent.invite": "made a code that enrols agent {subject}",
    "agent.pause": "paused agent {subject}",
    "agent.remove": "removed agent {subject}",
    "agent.replace": "started agent {subject} where an earlier one still answered",
    "agent.resume": "resumed agent {subject}",
    "agent.start": "started agent {subject}",
    "build.abandon": "abandoned {subject}; its version code {burned} is not used again",
    "build.complete": "completed {subject}: {files} files",
    "build.notes": "changed the notes of {subject}",
    "build.open": "opened {subject} of {profile}, version {version}, code {code}",
    "build.pin": "pinned {subject}, so that no clean-up removes it",
    "build.place": "placed {subject} on {channel}",
    "build.re-sign": "signed {subject} again under grant {grant}, in place of grant {before}",
    "build.remove": "removed {subject}",
    "build.unpin": "unpinned {subject}",
    "content.unseal": "took the content keys of {subject}",
    "device.register": "registered device {subject} on {channel}",
    "device.remove": "removed device {subject}",
    "device.report": "reported that device {subject} has build {build}",
    "difference.ask": "asked for the differences of {subject} again",
    "difference.make": "made the differences of {subject}",
    "difference.skip": "found that differences of {subject} would save nothing",
    "document.owner": "gave the profile document of {subject} to {source}",
    "enrol.refuse": "was refused as agent {subject}, from {address}",
    "enrol.throttle": "tried too often to enrol as agent {subject}, from {address}",
    "factor.add": "added a second factor for {subject}",
    "factor.confirm": "confirmed with the second factor of {subject}",
    "factor.refuse": "typed a wrong code of the second factor of {subject}, from {address}",
    "factor.remove": "removed the second factor of {subject}",
    "factor.throttle": "tried too often to type a code of the second factor of {subject}, from {address}",
    "grant.make": "made {subject} for {devices} devices",
    "key.add": "added the signing identity {subject}",
    "key.connect": "connected {subject}, whose key is in the key module as {label}",
    "key.drill": "passed the restore drill of {subject}",
    "key.export": "exported the backup of {subject}",
    "key.hand-over": "handed {subject} over to {to}",
    "key.lock": "locked {subject}",
    "key.policy": "changed what {subject} may be used for",
    "key.refuse": "was refused {subject} for {what}: {why}",
    "key.unlock": "unlocked {subject}",
    "key.use": "signed with {subject}",
    "machine.allow": "let {subject} at {address} sign in as themselves",
    "machine.refuse": "refused the sign-in of {subject} at {address}",
    "passkey.add": "added the passkey {name} of {subject}",
    "passkey.refuse": "sent a wrong answer for a passkey of {subject}, from {address}",
    "passkey.remove": "removed the passkey {name} of {subject}",
    "passkey.throttle": "tried too often with a passkey of {subject}, from {address}",
    "person.accept": "chose a password for {subject}",
    "person.come": "came by the studio's sign-in as {subject}, {role}",
    "person.disable": "disabled {subject}: sessions and tokens ended",
    "person.enable": "enabled {subject}",
    "person.invite": "invited {subject} as {role}",
    "person.provider": "handed {subject} over to the studio's sign-in: password, sessions and tokens ended",
    "person.reset": "reset the password of {subject}: sessions and tokens ended",
    "person.role": "gave {subject} the role {role}",
    "person.add": "added {subject} as {role}",
    "person.password": "got a new password for {subject}",
    "placement.supersede": "replaced {subject} by build {by}",
    "placement.withdraw": "withdrew {subject}",
    "provider.refuse": "came by the studio's sign-in as {subject} and was refused: {why}",
    "request.refuse": "typed a code of {subject} that nobody waits with",
    "request.throttle": "tried too often with {subject}, from {address}",
    "retention.remove": "removed builds of {subject} that retention does not keep",
    "retention.set": "set the retention of {subject} to {newest} builds and {days} days",
    "revision.add": "saved {subject}",
    "run.approve": "approved {subject}, {profile} at {commit}",
    "run.cancel": "cancelled {subject}",
    "run.fail": "saw {subject} fail",
    "run.finish": "finished {subject}",
    "run.lose": "lost {subject}: {why}",
    "run.repeat": "repeated {subject}",
    "run.start": "started {subject}",
    "run.stop": "stopped {subject}",
    "run.supersede": "gave up {subject} for run {by}",
    "run.take": "gave {subject} to agent {agent}",
    "session.open": "signed in as {subject}",
    "sign-in.refuse": "could not sign in with {subject}, from {address}",
    "sign-in.throttle": "tried too often to sign in with {subject}, from {address}",
    "source.connect": "connected the repository {subject}",
    "source.defaults": "chose what is built from each branch of {subject}",
    "source.upload": "sent {subject}",
    "store-check.cancel": "cancelled the check of the store",
    "store-check.finish": "finished the check of the store",
    "store.check": "started a check of the store",
    "store.collect": "removed what nothing uses from the store",
    "store.repack": "packed the store again",
    "studio.start": "started the studio {subject}",
    "title.expose": "lets runs of {subject} go to agents without a sandbox",
    "title.isolate": "lets runs of {subject} go only to agents with a sandbox",
    "title.import": "added the title {subject}",
    "token.make": "made the token {subject} for {role}",
    "token.revoke": "revoked the token {subject}",
    "trigger.add": "added the trigger {subject}",
    "trigger.change": "changed the trigger {subject}",
    "trigger.remove": "removed the trigger {subject}",
    "unlock.refuse": "was refused the passphrase of {subject}",
    "unlock.throttle": "tried too often to unlock {subject}",
    "update.prepare": "asked for the differences of {subject} from build {old}",
    "variables.change": "changed the step variables {subject}",
    "variables.remove": "removed the step variables {subject}",
    "vault.master-key": "changed the master key of the studio",
    "version.take": "marked version code {code} of {subject} as taken",
}


def sentence_of(act: str, subject: str, detail: Mapping[str, Any]) -> str:
    """Without who did it. Raises `KeyError` for an act that has no sentence."""
    # What an old event did not record yet is a question mark, not a page that cannot be shown.
    return SENTENCES[act].format_map({name: "?" for name in _named(act)} | dict(detail) | {"subject": subject})


def left_to_say(act: str, detail: Mapping[str, Any]) -> dict[str, Any]:
    """The figures that the sentence leaves out."""
    return {name: value for name, value in detail.items() if name not in _named(act) and value not in ("", 0, None, [])}


def _named(act: str) -> set[str]:
    return {field for _, field, _, _ in Formatter().parse(SENTENCES[act]) if field}
