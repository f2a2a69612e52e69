"""An upgrade: nothing need be broken, the customer wants something better than what the device has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="intake.upgrade",
        capability="intake",
        says=(
            "Where the customer wants another finish than the device has, that finish is what the job needs: "
            "only a part that has it cures, one that does not is refused, and what is not known of a part "
            "stays unknown. Neither reseating nor a serial is an upgrade."
        ),
        source=COMMON,
    ),
)

# what a screen can be had with instead; common practice
_OTHERS: Mapping[str, tuple[str, ...]] = {"finish": ("glossy", "matte")}
UPGRADE = "upgrade"


@dataclass(frozen=True, slots=True, kw_only=True)
class Upgrade:
    """Something better that is wanted: the attribute of a part, what it shall be, and what the device has."""

    attribute: str
    wanted: str
    has: str

    @property
    def key(self) -> str:
        """How a form names it."""
        return f"{self.attribute}:{self.wanted}"

    @property
    def says(self) -> Say:
        return fact("routes.gets-finish", finish=self.wanted, before=self.has)

    @property
    def need(self) -> Mapping[str, str]:
        """What a part must have for it."""
        return {self.attribute: self.wanted}


def upgrades_of(model: Model) -> tuple[Upgrade, ...]:
    """What a model can be had with instead of what it has; nothing of what nobody knows."""
    return tuple(
        Upgrade(attribute=attribute, wanted=other, has=str(has))
        for attribute, others in _OTHERS.items()
        if (has := model.need.get(attribute)) in others
        for other in others
        if other != has
    )


def upgrade_of(model: Model, how: Mapping[str, object]) -> Upgrade | None:
    """The upgrade that an intake says is wanted; none where the model, as it is known now, has no such."""
    return next((one for one in upgrades_of(model) if one.key == how.get(UPGRADE)), None)


def check_upgrade(model: Model, how: Mapping[str, str]) -> list[Invalid]:
    """What is wrong with the upgrade an intake says; nothing wanted is right."""
    wanted = how.get(UPGRADE, "").strip()
    if not wanted or upgrade_of(model, {UPGRADE: wanted}):
        return []
    return [Invalid(f"arrival.{UPGRADE}", wanted, fact("intake.choose-an-upgrade-shown"))]
