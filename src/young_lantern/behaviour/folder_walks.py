"""How far folders lead on a path from a root, and what is there."""

from __future__ import annotations

from ..model import FileKind
from .request import Facts
from .state import State


def walked(root: str, path: str, facts: Facts) -> tuple[str, FileKind | None, str]:
    """The path walked from the root on: how far folders lead and what comes first that is none; its kind; what is left."""
    full = f"{root}/{path.lstrip('/')}".rstrip("/")
    if (kind := facts.lookup(full)) is not None:
        return full, kind, "/" if kind is FileKind.FILE and path.endswith("/") else ""
    here, kind = root, facts.lookup(root)
    left = path
    while kind is FileKind.FOLDER and left.strip("/"):
        segment, slash, after = left.lstrip("/").partition("/")
        here, left = f"{here}/{segment}", slash + after
        kind = facts.lookup(here)
    return here, kind, left


def walked_first(root: str, path: str, state: State) -> tuple[tuple[str, FileKind | None, str], bool]:
    """As `walked`, a folder with a final slash where the path has one, and whether it was for an index file in the folder itself; where an earlier request
    inside came to the same folder, what it came to there.

    request.c, ap_directory_walk (2.4.71, probed): what sections of folders say is kept from one request to the next that it leads to.
    """
    made = walked(root, path, state.facts)
    folder = made[0].rstrip("/") if made[1] is FileKind.FOLDER else made[0].rpartition("/")[0]
    if state.walk is None or state.walk[0] != folder or made[1] is None or made[2]:
        seen = f"{made[0].rstrip('/')}/" if made[1] is FileKind.FOLDER and path.endswith("/") else made[0]
        state.walk = (folder, (seen, *made[1:]), state.for_index and state.path.rpartition("/")[0] + "/" == state.index_of)
    return state.walk[1], state.walk[2]
