"""mod_macro: what a macro says, with the words that it is given.

Source:   Apache HTTP Server manual, mod_macro.
Rule:     parameters are replaced as bare text wherever they stand, longer names first.
"""

from __future__ import annotations

from collections import Counter

from .syntax import Directive, File, Word

_DEEPEST = 20


def body_of(macro: Directive, given: list[str]) -> list[Directive]:
    """The lines of a macro. given: the words of a Use behind its name."""
    pairs = sorted(zip([word.text for word in macro.words[2:]], given, strict=False), key=lambda pair: -len(pair[0]))
    return [_replaced(item, pairs) for item in macro.block or []]


def _replaced(directive: Directive, pairs: list[tuple[str, str]]) -> Directive:
    def put(word: Word) -> Word:
        raw = word.raw
        for name, value in pairs:
            raw = raw.replace(name, value)
        return Word(word.lead, raw)

    block = None if directive.block is None else [_replaced(item, pairs) for item in directive.block]
    made = Directive(directive.lead, [put(word) for word in directive.words], directive.ending, block, directive.closing, directive.file, directive.line, directive.end_line)
    made.span = directive.span
    return made


def write_out(files: list[File]) -> None:
    """Puts what macros say in the place of their uses, unless one name stands for several: which of these is meant hangs on the order of files."""
    found = [directive for file in files for directive in file.walk() if directive.name == "<macro" and len(directive.words) > 1]
    if max(Counter(macro.words[1].text.lower() for macro in found).values(), default=2) > 1:
        return
    macros = {macro.words[1].text.lower(): macro for macro in found}
    for file in files:
        file.directives[:] = _written_out(file.directives, macros, 0)


def _written_out(directives: list[Directive], macros: dict[str, Directive], depth: int) -> list[Directive]:
    made: list[Directive] = []
    for directive in directives:
        macro = macros.get(directive.words[1].text.lower()) if directive.name == "use" and len(directive.words) > 1 and depth < _DEEPEST else None
        if macro is not None:
            made += _written_out(body_of(macro, [word.text for word in directive.words[2:]]), macros, depth + 1)
        elif directive.name not in ("<macro", "undefmacro"):
            if directive.block is not None:
                directive.block[:] = _written_out(directive.block, macros, depth)
            made.append(directive)
    return made
