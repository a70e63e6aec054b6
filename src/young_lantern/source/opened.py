"""Files that engineers hand over beside the configuration: opened whether or not they are gzipped (RFC 1952), with one clear line if they cannot be."""

from __future__ import annotations

import gzip
import io
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from ..errors import SourceUnreadable

_GZIP = b"\x1f\x8b"


@contextmanager
def opened(path: Path, what: str) -> Iterator[BinaryIO]:
    """The file's content as a stream of bytes, unpacked. what: such as "a file of requests", for the message. Raises SourceUnreadable."""
    try:
        with open(path, "rb") as raw:
            packed = raw.read(2) == _GZIP
            raw.seek(0)
            yield io.BufferedReader(gzip.GzipFile(fileobj=raw)) if packed else raw  # type: ignore[arg-type]
    except FileNotFoundError:
        raise SourceUnreadable("there is no such file", file=path) from None
    except IsADirectoryError:
        raise SourceUnreadable(f"is a folder, not {what}", file=path) from None
    except (EOFError, zlib.error, gzip.BadGzipFile):
        raise SourceUnreadable("the gzip content is damaged", file=path) from None
    except OSError as error:
        raise SourceUnreadable(f"cannot be read: {error.strerror}", file=path) from None
