"""Regular expressions and globs across engines."""

from .engines import beyond_re2, compiled, problem, search, to_re2  # noqa: F401
from .examples import all_of_text, covered_prefix, examples, goes_on, literal_start, may_end_in_slash  # noqa: F401
from .hosts import host_matches  # noqa: F401
from .syntax import PatternUnreadable  # noqa: F401
