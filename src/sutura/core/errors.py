"""Refusals: what Sutura says no to, and what it would accept instead.

    Refusal                    the shop asked for something that cannot be done
    ├── Invalid                one value is wrong: where, what it was, what would do
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

A Refusal carries its facts as fields and makes its sentence once. Mistakes of a programmer are TypeError or
RuntimeError, never a Refusal.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime


class Refusal(Exception):
    """Something the shop asked for that cannot be done; `str()` is the sentence to show."""


class Invalid(Refusal):
    """One value is wrong. `field` is the path of the value, such as `models[3].face.glass`."""

    def __init__(self, field: str, refused: object, accepts: str) -> None:
        self.field, self.refused, self.accepts = field, refused, accepts
        said = "Nothing was given" if refused in ("", None) else f"“{refused}” cannot be taken"
        super().__init__(f"{said}: {accepts}")

    def under(self, field: str) -> Invalid:
        """The same problem one step further up: its path grows as it rises.

        >>> Invalid("price", "x", "write an amount").under("rows[2]").field
        'rows[2].price'
        """
        if not field or not self.field:
            return Invalid(field or self.field, self.refused, self.accepts)
        return Invalid(f"{field}.{self.field}", self.refused, self.accepts)


class ManyInvalid(Refusal):
    """All wrong values of one form or file at once."""

    def __init__(self, problems: Sequence[Invalid], what: str = "This form") -> None:
        if not problems:
            raise RuntimeError("a refusal needs a reason")
        self.problems = tuple(problems)
        count = len(problems)
        super().__init__(f"{what} has {count} thing{'s' if count != 1 else ''} to put right.")

    @property
    def by_field(self) -> Mapping[str, str]:
        """The first problem of each field, in the order of the form."""
        first: dict[str, str] = {}
        for problem in self.problems:
            first.setdefault(problem.field, str(problem))
        return first


class NotAllowed(Refusal):
    def __init__(self, doing: str, roles: Sequence[str]) -> None:
        self.doing, self.roles = doing, tuple(roles)
        super().__init__(f"Your role may not {doing}; it is for: {', '.join(roles)}.")


class NotFound(Refusal):
    def __init__(self, kind: str, asked: object) -> None:
        self.kind, self.asked = kind, asked
        super().__init__(f"There is no {kind} “{asked}” here.")


class MoveRefused(Refusal):
    """The job may not make this move. `missing` holds one short sentence for each thing that is not
    there yet.
    """

    def __init__(self, code: str, move: str, missing: Sequence[str]) -> None:
        self.code, self.move, self.missing = code, move, tuple(missing)
        super().__init__(f"Job {code} cannot {move} yet: {'; '.join(missing)}.")


class OutOfStock(Refusal):
    def __init__(self, part: str, on_hand: int, holders: Sequence[str]) -> None:
        self.part, self.on_hand, self.holders = part, on_hand, tuple(holders)
        if holders:
            reason = f"the last one is promised to job {', '.join(holders)}"
        else:
            reason = "none is on the shelf"
        super().__init__(f"No free {part}: {reason}. Choose another offer, or receive more first.")


class AlreadyHeld(Refusal):
    def __init__(self, code: str, part: str) -> None:
        self.code, self.part = code, part
        super().__init__(f"Job {code} already holds {part}. Give it back to the shelf before taking another.")


class StaleSave(Refusal):
    """Someone else saved this record in between. `yours` and `theirs` hold the differing fields side by
    side.
    """

    def __init__(
        self, what: str, who: str, when: datetime | None, yours: Mapping[str, str], theirs: Mapping[str, str]
    ) -> None:
        self.what, self.who, self.when, self.yours, self.theirs = what, who, when, dict(yours), dict(theirs)
        super().__init__(
            f"{what} was changed by {who or 'someone else'} while you were editing. Nothing is "
            "lost: choose below."
        )


class StepBlocked(Refusal):
    def __init__(self, step: str, expected: int, counted: int) -> None:
        self.step, self.expected, self.counted = step, expected, counted
        super().__init__(
            f"You counted {counted}, the sheet says {expected} for “{step}”. Count again and look "
            "for a hidden screw; "
            "if the count is right, write the reason and go on."
        )


class SignInRefused(Refusal):
    def __init__(self, wait_minutes: int = 0) -> None:
        self.wait_minutes = wait_minutes
        if wait_minutes:
            super().__init__(
                f"Too many wrong tries. Wait {wait_minutes} minutes and try again, or ask a manager."
            )
        else:
            super().__init__("That name and password do not go together. Check both and try again.")


class AccessoriesMissing(Refusal):
    def __init__(self, names: Sequence[str]) -> None:
        self.names = tuple(names)
        super().__init__(
            f"Not ticked as handed back: {', '.join(names)}. Hand back everything that came in, or "
            "write where it is."
        )
