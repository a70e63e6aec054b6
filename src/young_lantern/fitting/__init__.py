"""An Estate -> what a dialect without restarts, labels and inheritance can say. Core; knows no dialect.

tree.py    the form that writers take: conditions that branch, and leaves with all their settings
static.py  what is known of a condition before any request comes
tables.py  conditions on tables, for dialects without them
keyed_tables.py tables asked for a part of the path, as tables of paths
scripts.py how scripts are looked for, in another server's way
aliases.py files below an alias, and below a prefix that is cut off
client_chains.py the chain of clients that an origin is told
trying.py  branches over files in one form
flags.py   variables that remember what was found out before
conditional.py fields with conditions of their own
mapping.py  redirects of an origin
spread.py  changes of the path, each with its own end
disjoint.py whether two conditions can hold at once
closing.py what keeps somebody out, and cannot be said
sent_status.py  files that are sent with the status of an error, for dialects whose files have none
ports.py   rules on the port, for dialects that cannot ask for it
places.py  places by path, for dialects whose sites are lists of them
addresses.py who is refused by address
flow.py    how a request leaves steps
unroll.py  a site's program -> tree: restarts looked up beforehand, settings pushed to the leaves
anew.py    what is the same when a site begins anew with another path
own_types.py Content-Type as a field or as a setting
kept_fields.py  fields that leave an origin's alone unless a table says otherwise
answer_types.py  conditions on it -> names of types, or of files
hoist.py   settings that all leaves of a branch share, pulled up again
"""

from . import answer_types, kept_fields, own_types  # noqa: F401
from .disjoint import disjoint, without_impossible  # noqa: F401
from .flags import without_flags  # noqa: F401
from .hoist import hoist  # noqa: F401
from .tables import with_keys_in_patterns, with_redirects_by_row, without_tables  # noqa: F401
from .tree import Branch, Chain, Fork, Leaf, Settings, leaves  # noqa: F401
from .unroll import LostRestart, unroll  # noqa: F401
