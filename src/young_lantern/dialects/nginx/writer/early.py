"""Fields for some paths, in a program that changes the path later -> a variable that a table gives its value before that.

Source:   nginx map module: a table is looked up when its variable is first asked for, and once; add_header asks when the answer goes out.
Rule:     only fields that come before every change of the path, and whose value one table can say.
"""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import count

from ....fitting.places import glob_as_pattern
from ....model import AllOf, Capture, Choose, ErrorPages, Field, Operation, Rewrite, Route, SetVariable, Side, Step, Template, Var, Variable, literal
from ....model.walk import transform, walk
from .fields import by_condition
from .rewrites import AT_FIRST


def with_early_tables(program: tuple[Step, ...]) -> tuple[Step, ...]:
    """The program in which such fields have no condition, and the variables that are set before all else."""
    sets: list[SetVariable] = []
    made: list[Step] = []
    for number, step in enumerate(program):
        if not isinstance(step, ErrorPages) and any(isinstance(item, Rewrite) for item in walk(step)):
            return (*sets, *made, *program[number:])
        made = _early(step, sets, made) or [*made, step]
    return (*sets, *made)


def _early(step: Step, sets: list[SetVariable], made: list[Step]) -> list[Step] | None:
    """The steps by then, with such a field, whose variable is put to `sets`; None where the step is no such field."""
    match step:
        case Choose((Route(condition=condition, steps=(Field(operation=Operation.SET | Operation.ADD) as field,)),)):
            pass
        case _:
            return None
    # What goes to an origin stays the client's where nothing is set; what is asked of the answer, or put in when it goes out, is not known at the start.
    if field.side is not Side.RESPONSE or field.asked_last or literal(field.value) is None and not field.at_once or any(isinstance(item, Capture) for item in walk(field)):
        return None
    earlier = [item for item in made if isinstance(item, Field) and item.name.lower() == field.name.lower()]
    if any(not _replaces(field, item) for item in earlier) or len(earlier) > 1:
        return None
    asked = condition if field.when is None else AllOf((condition, field.when))
    whole = replace(field, when=transform(asked, glob_as_pattern))
    before: Template = ()
    if earlier:
        # It is what the later one leaves; its line is kept with a variable of its own.
        before = earlier[0].value
        if not any(before == (Var(Variable.VARIABLE, item.name),) for item in sets):
            kept = SetVariable(_name(field.name + "_before", sets), before, earlier[0].span)
            before = (Var(Variable.VARIABLE, kept.name),)
        else:
            kept = None
    table = by_condition(whole, before)
    if table is None:
        return None
    if earlier and kept is not None:
        sets.append(kept)
    sets.append(SetVariable(_name(table.name, sets), (table,), field.span))
    return [*(item for item in made if item not in earlier), replace(field, value=(Var(Variable.VARIABLE, sets[-1].name),), when=None)]


def _replaces(later: Field, earlier: Field) -> bool:
    """Whether one takes the place of the other on every answer that has both."""
    return later.operation is earlier.operation is Operation.SET and earlier.when is None and all(
        getattr(later, name) == getattr(earlier, name) for name in ("side", "statuses", "deferred", "at_once", "survives_errors", "apart"))


def _name(wish: str, sets: list[SetVariable]) -> str:
    base = re.sub(r"\W+", "_", wish.lower())
    taken = {item.name for item in sets}
    return next(name for number in count(1) if (name := base + ("" if number == 1 else f"_{number}") + AT_FIRST) not in taken)
