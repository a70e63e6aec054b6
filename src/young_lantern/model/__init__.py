"""The neutral model. It imports nothing else of the package; docs/model.md is its specification."""

from .conditions import *  # noqa: F403
from .estate import *  # noqa: F403
from .fields import *  # noqa: F403
from .findings import *  # noqa: F403
from .origins import *  # noqa: F403
from .pools import *  # noqa: F403
from .span import Span  # noqa: F401
from .status_words import on_page, status_words, with_status  # noqa: F401
from .steps import *  # noqa: F403
from .text import *  # noqa: F403
from .shares import WHOLE, below, drawn_table, is_drawn, share_table, shares_of  # noqa: F401
