"""Sources on the wire: repositories, branches, tags, commits; uploaded folders; triggers; step variables."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from rampa.schema.builds.builds import Base64
from rampa.schema.common import Digest, Number, PageQuery, Query, Slug, SlugOrNone, Wire
from rampa.schema.runs import Ref, Words
from rampa.schema.titles.titles import TitlePath

Pattern = Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f]+$")]
Profiles = Annotated[list[Slug], Field(max_length=100)]


class SourceIn(Wire):
    """Any address that git takes. `credential` goes with it: a password or token for HTTPS, a private key for SSH."""

    address: Annotated[str, StringConstraints(min_length=1, max_length=1000, pattern=r"^[^\x00-\x1f]+$")]
    user: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f]*$")] = ""
    password: Annotated[str, StringConstraints(max_length=4000)] = ""
    key: Annotated[str, StringConstraints(max_length=20_000)] = ""
    submodules: bool = False
    every: Annotated[int, Field(ge=0, le=86_400)] = 60


class BranchDefault(Wire):
    """For branches that the pattern matches: these profiles, these step variables. The first that matches counts."""

    pattern: Pattern
    profiles: Profiles = []
    step_variables: SlugOrNone = ""
    place: SlugOrNone = ""
    """The channel that finished builds go to by themselves; empty: what the profile says."""


class DefaultsIn(Wire):
    defaults: Annotated[list[BranchDefault], Field(max_length=100)]


class SourceOut(Wire):
    """`credential` says what is kept (`password`, `key`, or nothing), never what it is. `proposed`: see `propose`."""

    title: str
    address: str
    user: str
    credential: str
    submodules: bool
    every: int
    fetched_at: dt.datetime | None
    tried_at: dt.datetime | None
    error: str
    branch: str
    branches: int
    tags: int
    defaults: list[BranchDefault]


class BuiltFrom(Wire):
    """A run, and the build that it made, of a commit."""

    run: int
    build: int
    profile: str
    state: str


class CommitOut(Wire):
    commit: str
    subject: str
    author: str
    at: dt.datetime
    built: list[BuiltFrom] = []


class RefOut(CommitOut):
    """A branch or a tag, and its newest commit."""

    name: str
    kind: Literal["branch", "tag"]
    profiles: list[str] = []
    step_variables: str = ""


class RefQuery(PageQuery):
    kind: Literal["branch", "tag"] = "branch"
    search: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")] | None = None


class CommitQuery(PageQuery):
    of: Ref = ""


class MatchQuery(Query):
    """Which of the existing branches or tags a pattern matches."""

    kind: Literal["branch", "tag"] = "branch"
    pattern: Pattern


class MatchesOut(Wire):
    matched: list[str]
    others: list[str]


class SeenDocument(Wire):
    """What the tree at a commit says: its profile document, or one that is proposed."""

    commit: str
    document: str
    found: bool
    """True: the repository has this `rampa.toml`."""
    seen: list[str]


class TryIn(Wire):
    """A repository that no title has yet: its own branch, or `of`. Nothing of it is kept."""

    source: SourceIn
    of: Ref = ""


class OfQuery(Query):
    of: Ref = ""


class ModuleOut(Wire):
    """A submodule of a commit. `at` is where its mirror can be fetched from, under the service's address."""

    path: str
    commit: str
    at: str


class ModuleList(Wire):
    modules: list[ModuleOut]


class NewFolder(Wire):
    """A folder whose chunks have arrived: its manifest."""

    manifest: Base64
    note: Words = ""


class FolderOut(Wire):
    number: int
    files: int
    size: int
    note: str
    created_at: dt.datetime
    created_by: str


class FolderPath(TitlePath):
    folder: Number


class SourcePackPath(TitlePath):
    pack: Digest


class GitPath(TitlePath):
    """`source.git`, or `module-0.git` and so on for submodules."""

    repo: Annotated[str, StringConstraints(pattern=r"^(source|module-\d{1,4})\.git$")]


class GitQuery(Query):
    service: Literal["git-upload-pack"]


class TriggerIn(Wire):
    """`kind` branch or tag: when one that `pattern` matches moves, and a path in `paths` changed. `schedule`: five fields
    as in crontab(5), UTC, on the branch `pattern`. `call`: a signed call, on the branch `pattern` or the one that it names."""

    kind: Literal["branch", "tag", "schedule", "call"]
    pattern: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f]*$")] = "*"
    schedule: Annotated[str, StringConstraints(max_length=100)] = ""
    paths: Annotated[list[Pattern], Field(max_length=100)] = []
    profiles: Profiles = []
    place: SlugOrNone = ""
    """The channel that finished builds go to by themselves; empty: what branch or profile say."""
    active: bool = True


class NewTrigger(TriggerIn):
    name: Slug


class TriggerPath(TitlePath):
    trigger: Slug


class TriggerOut(TriggerIn):
    name: str
    next_at: dt.datetime | None
    last_at: dt.datetime | None
    last_said: str
    created_by: str
    secret: str = ""
    """Shown once, when a trigger by call is made."""
    call: str = ""
    """The path that is called."""


class CallHeaders(BaseModel):
    """Seconds since 1970, and HMAC-SHA-256 over the time, a full stop and the body, as `sha-256=` and base64."""

    model_config = ConfigDict(populate_by_name=True)
    rampa_time: Annotated[str, StringConstraints(max_length=20)] = Field("", alias="Rampa-Time")
    rampa_hmac: Annotated[str, StringConstraints(max_length=100)] = Field("", alias="Rampa-Hmac")


class CallIn(Wire):
    """`of`: a branch or tag that the trigger's pattern matches; `commit` where the caller knows it."""

    of: Ref = ""


class CallOut(Wire):
    started: list[int]
    said: str


class StepVariablesPath(Query):
    variables: Slug


VariableText = Annotated[str, StringConstraints(max_length=20_000, pattern=r"^[^\x00]*$")]


class StepVariablesIn(Wire):
    """The whole group. A secret whose value is null keeps what it had."""

    variables: Annotated[dict[str, VariableText], Field(max_length=200)] = {}
    secrets: Annotated[dict[str, VariableText | None], Field(max_length=200)] = {}
    note: Words = ""


class StepVariablesOut(Wire):
    """`secrets` are names: their values are never answered. `used_by`: titles' profiles that name the group."""

    name: str
    note: str
    variables: dict[str, str]
    secrets: list[str]
    version: int
    changed_at: dt.datetime
    changed_by: str
    used_by: list[str]
