"""An invitation's life.

    open ---accept---> accepted
      ^ `---decline--> declined --resend--.
      | `---withdraw-> withdrawn -resend--|
      `-----------------------------------'   resend: also while it is open, with a new link

Open: its link can be used until it ends; then it can only be sent again. Accepted is the end: who is taken out of the group is
invited anew.
"""

from __future__ import annotations

import datetime as dt
from enum import StrEnum


class InvitationState(StrEnum):
    OPEN = "open"
    ACCEPTED = "accepted"
    DECLINED = "declined"
    WITHDRAWN = "withdrawn"


class InvitationEvent(StrEnum):
    ACCEPT = "accept"
    DECLINE = "decline"
    WITHDRAW = "withdraw"
    RESEND = "resend"


LIFE = dt.timedelta(days=14)
"""How long a link is good."""

TRANSITIONS = {
    (InvitationState.OPEN, InvitationEvent.ACCEPT): InvitationState.ACCEPTED,
    (InvitationState.OPEN, InvitationEvent.DECLINE): InvitationState.DECLINED,
    (InvitationState.OPEN, InvitationEvent.WITHDRAW): InvitationState.WITHDRAWN,
    (InvitationState.OPEN, InvitationEvent.RESEND): InvitationState.OPEN,
    (InvitationState.DECLINED, InvitationEvent.RESEND): InvitationState.OPEN,
    (InvitationState.WITHDRAWN, InvitationEvent.RESEND): InvitationState.OPEN,
}
