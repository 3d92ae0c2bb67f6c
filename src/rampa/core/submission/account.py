"""A studio's account at a storefront, as Rampa holds it.

    connecting ---let-in--> connected ---expire--> expired
        |                    |    ^ `----revoke--> revoked
        `----narrow--> narrow'    `---let-in------ from each of them

Connecting: a person was sent to the storefront and did not come back yet. Narrow: it is let in, and may do less than Rampa needs.
Expired and revoked: nothing can be done there until a person connects it again; while they do, it stays what it was.
"""

from __future__ import annotations

from enum import StrEnum


class AccountState(StrEnum):
    CONNECTING = "connecting"
    CONNECTED = "connected"
    NARROW = "narrow"
    EXPIRED = "expired"
    REVOKED = "revoked"


class AccountEvent(StrEnum):
    LET_IN = "let-in"
    NARROW = "narrow"
    EXPIRE = "expire"
    REVOKE = "revoke"


USABLE = (AccountState.CONNECTED, AccountState.NARROW)

TRANSITIONS = {
    **{(state, AccountEvent.LET_IN): AccountState.CONNECTED for state in AccountState},
    **{(state, AccountEvent.NARROW): AccountState.NARROW for state in AccountState},
    **{(state, AccountEvent.EXPIRE): AccountState.EXPIRED for state in USABLE},
    **{(state, AccountEvent.REVOKE): AccountState.REVOKED for state in (*USABLE, AccountState.EXPIRED)},
}
