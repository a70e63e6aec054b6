"""The sample estate, Fernhollow Tool Library, as it ships in the package. Everything in it is made up."""

from .estate import FILES_AT, unpack  # noqa: F401
