"""The command `lantern`: the only code that prints or parses arguments."""

from .app import main  # noqa: F401
