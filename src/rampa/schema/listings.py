"""Listings: what a title says of itself on storefronts, and what each of them would show."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.devices.screen import Form
from rampa.core.listing.changes import ListingChange, ListingClash
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.layout import LANGUAGE, LARGEST_TEXT, MOST_LANGUAGES, MOST_PICTURES
from rampa.core.listing.length import Counting
from rampa.core.listing.link import LinkState
from rampa.core.listing.shown import ShownText
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.schema.common import Action, Digest, Query, Wire
from rampa.schema.titles.titles import TitlePath

FilePath = Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9/._-]+$")]
FileText = Annotated[str, StringConstraints(max_length=LARGEST_TEXT, pattern=r"^[^\x00]*$")]
Message = Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00-\x1f\x7f]*$")]
Commit = Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{40}|[0-9a-f]{64})?$")]
Language = Annotated[str, StringConstraints(pattern=rf"^{LANGUAGE}$")]
Storefront = Annotated[str, StringConstraints(pattern=rf"^({'|'.join(STOREFRONTS)})$")]
State = Annotated[int, Field(ge=0, le=2**31 - 1)]


class ListingStatePath(TitlePath):
    number: State


class ListingPicturePath(TitlePath):
    digest: Digest


class AgainstQuery(Query):
    """The state that it is compared with; without it, the one before."""

    against: State | None = None


class DraftQuery(Query):
    """`draft`: one's own draft, in place of the newest state."""

    draft: bool = False


class ShownQuery(DraftQuery):
    storefront: Storefront
    language: Language
    form: Form


class SizeQuery(Query):
    """The size that a storefront asks for: of pictures of a form of device, or, without one, of its icon; else as it was sent."""

    storefront: Storefront | None = None
    form: Form | None = None


class ListingText(Wire):
    path: FilePath
    text: FileText


class ListingPicture(Wire):
    """`digest` is SHA-256 of the file."""

    path: FilePath
    digest: Digest


class ListingIn(Wire):
    """A whole folder; its pictures were sent before. `commit`: where it comes from a repository."""

    texts: Annotated[list[ListingText], Field(max_length=MOST_LANGUAGES + 1)]
    pictures: Annotated[list[ListingPicture], Field(max_length=MOST_PICTURES)]
    message: Message = ""
    commit: Commit = ""


class ListingEditIn(Wire):
    """A key of a text file, a whole text file (no `path`), or a picture (its digest). Null takes it out; see docs/listing.md."""

    file: FilePath
    path: Annotated[list[Annotated[str, StringConstraints(max_length=60)]], Field(max_length=4)] = []
    value: FileText | None


class ListingEditsIn(Wire):
    """`base`: the state that a new draft begins at."""

    base: State
    edits: Annotated[list[ListingEditIn], Field(max_length=1000)]


class RebaseIn(Wire):
    """Puts one's draft onto the state `onto`, with both changes in it; of what both said otherwise, one's own."""

    onto: State


class SaveIn(Wire):
    message: Message = ""


class MadeListingPicture(Wire):
    """A picture as it was sent; sides in pixels, `size` in bytes."""

    digest: Digest
    form: str
    width: int
    height: int
    size: int
    transparent: bool


class ListingPictureOut(MadeListingPicture):
    path: str
    device: str
    """The form of device that it is of; empty for the icon."""
    language: str


class ListingValue(Wire):
    """A value that a file says, by the path of its key."""

    file: str
    path: list[str]
    value: str


class ListingState(Wire):
    number: int
    message: str
    created_by: str
    created_at: dt.datetime
    commit: str


class ListingStates(Wire):
    items: list[ListingState]


class ListingOut(Wire):
    """A state with its files. `number` 0: there is none yet. `source` owns it, with the profile document; empty: the service."""

    title: str
    number: int
    message: str
    created_by: str
    created_at: dt.datetime | None
    commit: str
    main: str
    languages: list[str]
    texts: list[ListingText]
    values: list[ListingValue]
    pictures: list[ListingPictureOut]
    source: str
    allowed_actions: list[Action]


class OtherListingDraft(Wire):
    person: str
    base: int
    saved_at: dt.datetime


class ListingDraft(Wire):
    """One's own draft; without one (`version` 0) what the newest state has. `moved`: there is a newer state than its base."""

    base: int
    newest: int
    version: int
    saved_at: dt.datetime | None
    moved: bool
    same: bool
    """It says what the newest state says."""
    main: str
    languages: list[str]
    texts: list[ListingText]
    values: list[ListingValue]
    pictures: list[ListingPictureOut]
    others: list[OtherListingDraft]


class ListingFindingOut(Wire):
    """What a check found. `storefront`, `language` and `form` are empty where it is of all; `fix` are edits that mend it."""

    name: str
    severity: str
    code: str
    message: str
    where: str
    hint: str
    storefront: str
    language: str
    form: str
    fix: list[ListingEditIn]
    fix_words: str

    @classmethod
    def of(cls, found: ListingFinding) -> ListingFindingOut:
        fix = [ListingEditIn(file=e.file, path=list(e.path), value=e.value) for e in found.fix]
        return cls(
            name=found.name,
            severity=found.severity,
            code=found.code,
            message=found.message,
            where=found.where,
            hint=found.hint,
            storefront=found.storefront,
            language=found.language,
            form=found.form,
            fix=fix,
            fix_words=found.fix_words(),
        )


class ListingMeanwhile(Wire):
    """What others saved since the draft was begun."""

    number: int
    by: str
    message: str
    theirs: list[ListingChange]
    clashes: list[ListingClash]


class ListingReview(Wire):
    """What saving the draft would change."""

    base: int
    newest: int
    changes: list[ListingChange]
    findings_added: list[ListingFindingOut]
    findings_removed: list[ListingFindingOut]
    problems: list[str]
    meanwhile: ListingMeanwhile | None


class ListingDifference(Wire):
    before: int
    after: int
    changes: list[ListingChange]


class StorefrontStanding(Wire):
    """How a listing stands for one storefront; `languages` by code, each with its worst finding, empty where there is none."""

    name: str
    title: str
    blockers: int
    warnings: int
    notes: int
    languages: dict[str, str]
    rating: str
    """In the storefront's words; empty while questions are open."""
    category: str
    forms: list[str]
    live: int
    """The state that players see there; 0 where they see nothing of Rampa's yet."""


class ListingCheck(Wire):
    """`findings` of all storefronts have no `storefront`. `number` 0: of a listing that is not there yet, or of a draft."""

    number: int
    languages: list[str]
    storefronts: list[StorefrontStanding]
    findings: list[ListingFindingOut]


class ShownPicture(Wire):
    """`address` gives it in the size that the storefront shows; in pixels."""

    path: str
    address: str
    width: int
    height: int


class ShownOut(Wire):
    """What a storefront would show. `seen`: those who read the language see the title there at all."""

    storefront: str
    storefront_title: str
    language: str
    form: str
    texts: dict[str, ShownText | None]
    category: str
    rating: str
    links: dict[str, str]
    video: str
    licence: str
    studio: str
    icon: ShownPicture | None
    pictures: list[ShownPicture]
    seen: bool


class LinkOut(Wire):
    address: str
    where: str
    state: LinkState
    said: str
    looked_at: dt.datetime | None
    failed_since: dt.datetime | None


class LinksOut(Wire):
    """`every`: days between two looks at a link that answers."""

    items: list[LinkOut]
    every: int


class RatingQuestion(Wire):
    """`answers`: code -> words, the mildest first. `answer` empty: not answered."""

    name: str
    text: str
    answers: dict[str, str]
    answer: str


class RatingOf(Wire):
    """`because`: the questions whose answers led to it."""

    storefront: str
    title: str
    rating: str
    because: list[str]


class AffirmationOut(Wire):
    """`stale`: why it must be said again; empty where it holds."""

    person: str
    at: dt.datetime
    stale: str
    answers: dict[str, str]


class RatingOut(Wire):
    """`number`: the state of the listing whose answers these are."""

    number: int
    questions: list[RatingQuestion]
    ratings: list[RatingOf]
    affirmation: AffirmationOut | None
    allowed_actions: list[Action]


class AffirmIn(Wire):
    """`number`: the state that was read. `name`: one's own, as a signature."""

    number: State
    name: Annotated[str, StringConstraints(min_length=1, max_length=100)]


class LengthOut(Wire):
    most: int
    counting: Counting
    words: str


class PictureRuleOut(Wire):
    """`fewest` to `most` pictures, in pixels; `cut` of a side, as a share of 1, may be cut off."""

    width: int
    height: int
    fewest: int
    most: int
    cut: float


class ListingRulesOut(Wire):
    """What a storefront asks of a listing. It is simulated: every figure is made up."""

    storefront: str
    title: str
    texts: dict[str, LengthOut]
    categories: dict[str, str]
    links: list[str]
    pictures: dict[str, PictureRuleOut]
    icon: int
    languages: list[str]
    falls_back: bool
    videos: list[str]
    ratings: list[str]


class AllListingRules(Wire):
    """`fields`, `links` and `categories` are ours, with their words."""

    items: list[ListingRulesOut]
    fields: dict[str, str]
    links: dict[str, str]
    categories: dict[str, str]
    questions: list[RatingQuestion]
