"""Refusals: what Sutura says no to, and what it would accept instead.

    Refusal                    the shop asked for something that cannot be done
    ├── Invalid                one value is wrong: where, what it was, what would do
    │   └── StepNotHeld        a step has not held what it asks for: its heat, its wait, its serial
    ├── ManyInvalid            every wrong value of one form or file
    ├── NotAllowed             this person's role may not do it
    ├── NotFound               nothing has that code, number or name
    ├── MoveRefused            the job may not move on: what is missing
    ├── OutOfStock             no free piece; who holds the others
    ├── AlreadyHeld            the job already holds a part
    ├── StaleSave              someone saved in between: both versions
    ├── StepBlocked            the bench may not go on: the counts do not agree
    ├── SignInRefused          wrong name or password, or too many tries
    └── AccessoriesMissing     handing back without everything that came with it

A Refusal carries its facts as fields and what is to be said of it as one fact, made once; `words` says it for
a locale and a zone. Mistakes of a programmer are TypeError or RuntimeError, never a Refusal.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from sutura.core.facts import Fact, Say, fact


class Refusal(Exception):
    """Something the shop asked for that cannot be done; `said` is what to show."""

    def __init__(self, said: Fact) -> None:
        self.said = said
        super().__init__(str(said))

    def __reduce__(self) -> tuple[object, ...]:
        # goes from one process to another as it is: each kind is made from other things than the rest
        return _bare, (type(self),), self.__dict__


def _bare(kind: type[Refusal]) -> Refusal:
    """A refusal of a kind, whose fields are still to come."""
    return kind.__new__(kind)


class Invalid(Refusal):
    """One value is wrong. `field` is the path of the value, such as `models[3].face.glass`."""

    def __init__(self, field: str, refused: object, accepts: Say) -> None:
        self.field, self.refused, self.accepts = field, refused, accepts
        if refused in ("", None):
            super().__init__(fact("refused.nothing-given", accepts=accepts))
        else:
            quoted = refused if isinstance(refused, Fact) else str(refused)
            super().__init__(fact("refused.cannot-be-taken", refused=quoted, accepts=accepts))

    def under(self, field: str) -> Invalid:
        """The same problem one step further up: its path grows as it rises.

        >>> Invalid("price", "x", "write an amount").under("rows[2]").field
        'rows[2].price'
        """
        if not field or not self.field:
            return Invalid(field or self.field, self.refused, self.accepts)
        return Invalid(f"{field}.{self.field}", self.refused, self.accepts)


class StepNotHeld(Invalid):
    """A step of the bench has not held what it asks for: `said` is what is missing, `accepts` what to do."""

    def __init__(self, field: str, said: Say, accepts: Say) -> None:
        self.field, self.refused, self.accepts, self.missing = field, "", accepts, said
        Refusal.__init__(self, fact("refused.not-held", missing=said, accepts=accepts))

    def under(self, field: str) -> Invalid:
        return StepNotHeld(f"{field}.{self.field}".strip("."), self.missing, self.accepts)


class ManyInvalid(Refusal):
    """All wrong values of one form or file at once."""

    def __init__(self, problems: Sequence[Invalid], what: Say = "This form") -> None:
        if not problems:
            raise RuntimeError("a refusal needs a reason")
        self.problems = tuple(problems)
        super().__init__(fact("refused.things-to-put-right", what=what, count=len(problems)))

    @property
    def by_field(self) -> Mapping[str, Fact]:
        """The first problem of each field, in the order of the form."""
        first: dict[str, Fact] = {}
        for problem in self.problems:
            first.setdefault(problem.field, problem.said)
        return first


class NotAllowed(Refusal):
    """`doing` is a deed, or says what; `roles` are those that may, or say who."""

    def __init__(self, doing: Say, roles: Sequence[Say]) -> None:
        self.doing, self.roles = doing, tuple(roles)
        super().__init__(fact("refused.role", doing=doing, roles=self.roles))


class NotFound(Refusal):
    def __init__(self, kind: Say, asked: object) -> None:
        self.kind, self.asked = kind, asked
        super().__init__(fact("refused.not-found", kind=kind, asked=str(asked)))


class MoveRefused(Refusal):
    """The job may not make this move. `missing` holds one short reason for each thing that is not there
    yet.
    """

    def __init__(self, code: str, move: Say, missing: Sequence[Say]) -> None:
        self.code, self.move, self.missing = code, move, tuple(missing)
        super().__init__(fact("refused.move", code=code, move=move, missing=self.missing))


class OutOfStock(Refusal):
    def __init__(self, part: str, on_hand: int, holders: Sequence[str]) -> None:
        self.part, self.on_hand, self.holders = part, on_hand, tuple(holders)
        if holders:
            reason = fact("refused.last-is-promised", holders=self.holders)
        else:
            reason = fact("refused.none-on-the-shelf")
        super().__init__(fact("refused.out-of-stock", part=part, reason=reason))


class AlreadyHeld(Refusal):
    def __init__(self, code: str, part: str) -> None:
        self.code, self.part = code, part
        super().__init__(fact("refused.already-held", code=code, part=part))


class StaleSave(Refusal):
    """Someone else saved this record in between. `yours` and `theirs` hold the differing fields side by
    side.
    """

    def __init__(
        self, what: Say, who: str, when: datetime | None, yours: Mapping[str, str], theirs: Mapping[str, str]
    ) -> None:
        self.what, self.who, self.when, self.yours, self.theirs = what, who, when, dict(yours), dict(theirs)
        super().__init__(fact("refused.stale", what=what, who=who or fact("refused.someone-else")))


class StepBlocked(Refusal):
    def __init__(self, step: str, expected: int, counted: int) -> None:
        self.step, self.expected, self.counted = step, expected, counted
        super().__init__(fact("refused.counts-differ", step=step, expected=expected, counted=counted))


class SignInRefused(Refusal):
    def __init__(self, wait_minutes: int = 0) -> None:
        self.wait_minutes = wait_minutes
        if wait_minutes:
            super().__init__(fact("refused.too-many-tries", minutes=wait_minutes))
        else:
            super().__init__(fact("refused.name-and-password"))


class AccessoriesMissing(Refusal):
    def __init__(self, names: Sequence[str]) -> None:
        self.names = tuple(names)
        super().__init__(fact("refused.accessories-missing", names=self.names))
