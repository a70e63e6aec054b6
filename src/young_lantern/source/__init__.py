"""Files, spans, includes, placeholders; limits on size, depth and loops."""

from .files import SourceTree  # noqa: F401
