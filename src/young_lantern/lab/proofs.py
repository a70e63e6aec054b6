"""Credentials by digest: what a client answers a server that asks for them, since what proves the password is made of a number of the server's.

Source:   RFC 7616 sections 3.3 and 3.4; MD5 with quality of protection `auth`, which httpd asks for (2.4.71, probed).
"""

from __future__ import annotations

import hashlib
import re
from dataclasses import replace

from ..behaviour import Request
from ..source.passwords import proof_hash
from .answers import Answer

_NAME = re.compile(r'Digest username="((?:[^"\\]|\\.)*)"')
_PART = re.compile(r'(\w+)=(?:"((?:[^"\\]|\\.)*)"|([^",\s]+))')
_FRESH, _COUNT = "6c616e7465726e", "00000001"
_PROOF = re.compile(rf'(Digest username="[^,]*"), realm=.*?cnonce="{_FRESH}"')


def proven(request: Request, answer: Answer) -> Request | None:
    """The request once more, with the proof that an answer asks for; None where it asks for none, or the client names nobody."""
    name = _NAME.fullmatch(request.field("Authorization") or "")
    asked = answer.field("www-authenticate") or ""
    if name is None or not asked.startswith("Digest "):  # which may come with another error, whose page is closed
        return None
    parts = {key.lower(): quoted or plain for key, quoted, plain in _PART.findall(asked)}
    realm, nonce = parts.get("realm", ""), parts.get("nonce", "")
    known = proof_hash(name[1], re.sub(r"\\(.)", r"\1", realm))
    response = _hash(f"{known}:{nonce}:{_COUNT}:{_FRESH}:auth:{_hash(f'{request.method}:{request.target}')}")
    proof = f'Digest username="{name[1]}", realm="{realm}", nonce="{nonce}", uri="{request.target}", algorithm=MD5, response="{response}", qop=auth, nc={_COUNT}, cnonce="{_FRESH}"'
    return replace(request, fields=tuple((held, proof if held.lower() == "authorization" else value) for held, value in request.fields))


def without_proof(text: str) -> str:
    """A field that an origin received, the proof left out, which is another one each time: who named himself stays."""
    return _PROOF.sub(r"\1", text)


def _hash(text: str) -> str:
    return hashlib.md5(text.encode("utf-8", "surrogateescape"), usedforsecurity=False).hexdigest()
