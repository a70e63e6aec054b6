"""decide(), request classes, comparison, and requests from files."""

from .decide import decide  # noqa: F401
from .outcome import OriginRequest, Outcome, TraceEntry  # noqa: F401
from .request import Assumed, Facts, Request, assumed, real_files, request_for  # noqa: F401
