"""Conditions of routes. All look at the request as it stands when the condition is met."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from .span import Span
from .text import Pattern, Template, Var, Variable


class PathForm(Enum):
    """Which path a path condition looks at."""

    CURRENT = "current"  # decoded, as the site's PathReading normalises it
    URL = "url"  # as CURRENT, but not changed by a rewrite that only says which file is meant (Rewrite.keeps_url)
    CLEAN = "clean"  # decoded, then slashes merged and dot segments resolved for this test only
    ENCODED = "encoded"  # decoded, with percent signs, semicolons and question marks percent-encoded for this test only (Tomcat)


class FileKind(Enum):
    """What lies at a path. A file or folder may be a program, or a link, besides: somebody may execute it (a folder: go through it); its last name is a symbolic link."""

    FILE = "file"
    FOLDER = "folder"
    ANY = "any"
    PROGRAM = "program"
    LINK = "link"

    @property
    def besides(self) -> bool:
        return self in (FileKind.PROGRAM, FileKind.LINK)


@dataclass(frozen=True, slots=True)
class Always:
    pass


@dataclass(frozen=True, slots=True)
class PathIs:
    path: str
    ignores_case: bool = False
    form: PathForm = PathForm.CURRENT
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class PathStartsWith:
    """Bare text: `/c` holds for `/cx`."""

    prefix: str
    ignores_case: bool = False
    form: PathForm = PathForm.CURRENT
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class PathGlob:
    """`*` within the text; `?` and `[…]` as in shells, neither crossing a slash unless at both ends (Caddy)."""

    glob: str
    ignores_case: bool = False
    form: PathForm = PathForm.CURRENT
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class PathMatches:
    """miss_forgets: when it does not match, the numbered captures of the last match are gone (nginx rewriting)."""

    pattern: Pattern
    form: PathForm = PathForm.CURRENT
    miss_forgets: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class HostIs:
    """One of the names; a leading `*.` stands for exactly one label when `one_label`, else for any number."""

    names: tuple[str, ...]
    one_label: bool = True
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class SchemeIs:
    scheme: str
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class MethodIn:
    methods: tuple[str, ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class ClientIn:
    """The client's address lies in one of the networks (CIDR text; `unix:` never matches over TCP)."""

    networks: tuple[str, ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class PeerIn:
    """The other end of the connection, whatever a proxy says of the client, lies in one of the networks."""

    networks: tuple[str, ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class TextIs:
    """The completed template equals one of the values; `("",)` asks whether it is empty, `()` whether there is no value at all (Caddy's null)."""

    template: Template
    values: tuple[str, ...]
    ignores_case: bool = False
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class TextMatches:
    """The pattern is found in the completed template. needs_value: a value that is not there makes an error of the question (Caddy's expressions)."""

    template: Template
    pattern: Pattern
    miss_forgets: bool = False
    span: Span | None = None
    needs_value: bool = False


@dataclass(frozen=True, slots=True)
class FileExists:
    """Something of this kind lies at root + path, after `strip` was cut off the path's start.

    cleans: slashes are merged and dots resolved first, a final slash does not count, and what was found is kept as
            Variable.FOUND (a folder with a final slash), as Caddy's file matcher does
    walks:  the path is walked from the root on, and what follows a file, or what is not there, does not count (httpd); what `path` has besides comes behind the name
            that was found so
    split:  with `cleans`: only what the pattern's first group takes is looked for, and its second is kept as what was left over
    """

    root: Template
    path: Template
    kind: FileKind = FileKind.FILE
    strip: str = ""
    cleans: bool = False
    span: Span | None = None
    walks: bool = False
    split: Pattern | None = None


@dataclass(frozen=True, slots=True)
class FileNameMatches:
    """The first segment of root + path, after `strip` was cut off, that is no folder matches: the file's name, there or not (httpd)."""

    root: str
    pattern: Pattern
    strip: str = ""
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class FolderMatches:
    """What the path names, walked from root on as far as folders lead and one segment more, matches; a folder with a final slash where the path has one.

    httpd asks patterns of folders against the file's whole name, so that one may hold for a file, too (2.4.71, probed).
    there: shell patterns are asked only of what is there, and not again for index files of a folder
    files: they may hold for a file
    looks: what a path looks like that leads there, for those that walk to nothing; what was kept of an earlier walk holds whatever the path is like by then
    """

    root: str
    pattern: Pattern
    strip: str = ""
    there: bool = False
    span: Span | None = None
    files: bool = True
    looks: "PathMatches | None" = None


@dataclass(frozen=True, slots=True)
class Rewritten:
    """The path was rewritten since the block with this label was (re)entered; "": ever, that is, not by the client."""

    label: str = ""
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class AnsweredInside:
    """The server itself would answer this path by something else than an error; whether a file is there is not asked (httpd).

    as_file: nor by a redirect, or with another path
    """

    path: Template
    as_file: bool = False
    span: Span | None = None

    @property
    def spelling(self) -> str:
        return "that asks what the server itself would answer"


@dataclass(frozen=True, slots=True)
class LookedUpInside:
    """The request is one of the server's own, for a folder's index file (httpd)."""

    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Pinned:
    """A rewrite has made the path, and its place is not looked for again, so that an alias is no folder for it (nginx, `break`)."""

    span: Span | None = None


@dataclass(frozen=True, slots=True)
class LetInBefore:
    """The page of an error is asked for in the very folder where the error arose, so that who may come in is not asked once more (httpd).

    strip:    the URL prefix of the folder
    sections: what else may hold for a file there; where one of them does, it is asked once more
    """

    folder: str
    strip: str = ""
    sections: tuple["Condition", ...] = ()
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class AllOf:
    conditions: tuple["Condition", ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class AnyOf:
    conditions: tuple["Condition", ...]
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Not:
    condition: "Condition"
    span: Span | None = None


@dataclass(frozen=True, slots=True)
class Unknowable:
    """A condition of the dialect that the model cannot say; the finding says so, and it is taken as not holding."""

    spelling: str
    span: Span | None = None


Condition = (
    Always | PathIs | PathStartsWith | PathGlob | PathMatches | HostIs | SchemeIs | MethodIn | ClientIn | PeerIn | TextIs
    | TextMatches | FileExists | FileNameMatches | FolderMatches | Rewritten | AnsweredInside | LookedUpInside | LetInBefore | Pinned | AllOf | AnyOf | Not | Unknowable
)
ALWAYS = Always()


def address_in(subject: Template, network: str, span: Span | None) -> Condition:
    """Whether the address that a table of networks is asked for lies in one of them."""
    match subject:
        case (Var(Variable.CLIENT),):
            return ClientIn((network,), span)
        case (Var(Variable.PEER),):
            return PeerIn((network,), span)
    return Unknowable(f"whether an address that a field names lies in {network}", span)
