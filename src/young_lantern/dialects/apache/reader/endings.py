"""httpd `AddEncoding`, `AddLanguage`: what they say of files by their names, of which no other server knows. No mirror.

Source:   Apache HTTP Server manual, mod_mime, "Files with Multiple Extensions" (2.4.71, probed): each ending of a name counts, and gives the answer
          Content-Encoding or Content-Language.
Rule:     packages name some eighty languages: a line counts where a file here has such a name, or where nobody here knows.
"""

from __future__ import annotations

import os
from pathlib import Path

from ....codes import LANGUAGE_BY_NAME
from ....model import Disposition, ServeFiles, Site, literal
from ....model.walk import walk
from ....source.places import Places
from ...dialect import Claim
from .context import Context

# Chosen like the limit of folders in folders.py.
_MOST_FILES = 100_000
_CODING = "files with such names are sent with Content-Encoding, so that clients unpack them; without it they take the packed bytes for the content"


def tell_endings(sites: tuple[Site, ...], places: Places, context: Context) -> None:
    """Says what becomes of these lines."""
    claims = [claim for claim in context.claims.values() if claim.name.lower() in ("addencoding", "addlanguage") and claim.finding is None and claim.span not in context.by_ending]
    if not claims:
        return
    roots = {text.rstrip("/") for site in sites for item in walk(site.program) if isinstance(item, ServeFiles) and (text := literal(item.root))}
    endings = endings_below([places.find(root) for root in sorted(roots)])
    unknown = endings is None
    languages: list[Claim] = []
    for claim in claims:
        meant = {word.lower().lstrip(".") for word in claim.span.directive.split()[2:]}
        if not unknown and not meant & (endings or set()):
            claim.disposition, claim.why = Disposition.IMPLIED, "no file that is served has such a name"
        elif claim.name.lower() == "addencoding":
            claim.disposition, claim.why = Disposition.UNSUPPORTED, _CODING
        else:
            languages.append(claim)
    for number, claim in enumerate(languages):
        claim.disposition, claim.why = Disposition.CHANGED, "files with such names are sent without Content-Language"
        if not number:
            claim.finding = context.say(LANGUAGE_BY_NAME, claim.span, endings=", ".join(sorted({word for item in languages[:3] for word in item.span.directive.split()[2:]})) + (", …" if len(languages) > 3 else ""))


def endings_below(folders: list[Path | None]) -> set[str] | None:
    """The endings of all names below some folders; None: one of them is not here, or there are too many to look."""
    endings: set[str] = set()
    seen = 0
    for folder in folders:
        if folder is None:
            return None
        for _, _, names in os.walk(folder):
            seen += len(names)
            if seen > _MOST_FILES:
                return None
            for name in names:
                endings.update(name.lower().split(".")[1:])
    return endings
