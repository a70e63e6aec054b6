"""The name of a file, or the last segment of a path -> its Content-Type, by the MediaTypes in force.

Source:   nginx core and charset modules; httpd mod_mime.c find_ct; Go's mime.TypeByExtension as Caddy's fileserver asks it. Probed (nginx 1.22.1,
          httpd 2.4.71, Caddy 2.6.2).
"""

from __future__ import annotations

from .registered_types import REGISTERED
from .steps import MediaTypes


# Systems' tables differ in whether these are text (RFC 7303 section 9.2), and so in whether a charset follows.
_TEXT_OR_NOT = frozenset({"application/xml"})


def of_name(types: MediaTypes, name: str) -> str | None:
    """The Content-Type of a file, or path, with this last segment; "" for none, None where only a system's own table knows."""
    if types.forced:
        return _with_charset(types, types.forced)
    endings = extensions(name, types)
    found: str | None = ""
    known = False
    for ending in endings:
        made = types.table.by_extension.get(ending) if types.table else None
        if made is None and types.registered:
            made = REGISTERED.get(ending)
            if made in _TEXT_OR_NOT and "text/*" in (types.charset_types or ()):
                return None
        if made is not None:
            found, known = made, True
        elif types.registered:
            # mod_mime: what it does not know is passed over, but whether it knows this one is the system's affair.
            found, known = (found, known) if known else (None, True)
    known = known and found != ""  # what was removed is as if nobody knew it
    if not known:
        found = types.otherwise or ""
    charset = next((types.charsets.by_extension[ending] for ending in reversed(endings) if ending in types.charsets.by_extension), "")
    if found is None or not found:
        return found
    # mod_mime puts a charset behind what it knows; what a field line says comes later (2.4.71, probed).
    if charset and "charset=" not in found and not (types.each and not known):
        return f"{found}; charset={charset}"
    return _with_charset(types, found)


def extensions(name: str, types: MediaTypes) -> list[str]:
    """What of a name counts as its extensions, in small letters; what stands before the first dot never does."""
    last = name.rpartition("/")[2]
    # A name that begins with a dot: httpd and nginx take what follows for the name itself, Go for an extension (all probed).
    first, *endings = last.lower().split(".")
    if types.each:
        # mod_mime.c, find_ct: of `.html` the leading dot is part of the name.
        return [ending for ending in (endings if first else endings[1:]) if ending]
    return endings[-1:] if endings and endings[-1] and (first or len(endings) > 1 or not types.by_path) else []


def _with_charset(types: MediaTypes, made: str) -> str:
    if types.charset and made and "charset=" not in made.lower() and has_charset(types, made):
        return f"{made}; charset={types.charset}"
    return made


def has_charset(types: MediaTypes, media_type: str) -> bool:
    """Whether a type is among those that get the charset."""
    bare = media_type.partition(";")[0].strip().lower()
    return any(bare == held or held == "*" or held.endswith("/*") and bare.startswith(held[:-1]) for held in types.charset_types or ())
