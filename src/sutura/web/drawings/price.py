"""From cost to price: each step a bar that begins where the one before ended."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import accumulate

from markupsafe import Markup

from sutura.core.maths.money import amount_text
from sutura.core.quoting.policy import PriceStep
from sutura.words.speech import PLAIN, Speech

WIDE, ROW, LABEL = 320.0, 18.0, 96.0


def draw_price(steps: Sequence[PriceStep], currency: str, speech: Speech = PLAIN) -> Markup:
    """The steps that are something, one below the other; empty without any."""
    told = [step for step in steps if step.minor]
    total = sum(step.minor for step in told)
    # a step back, such as what the shop pays of a comeback, may end at nothing: the widest sum is the scale
    most = max(accumulate((step.minor for step in told), initial=0))
    if not told or most <= 0:
        return Markup("")
    drawn, so_far = Markup(""), 0
    for row, step in enumerate(told):
        start, end = sorted((so_far, so_far + step.minor))
        so_far += step.minor
        x = LABEL + start / most * (WIDE - LABEL - 62)
        wide = max((end - start) / most * (WIDE - LABEL - 62), 1.0)
        y = row * ROW + 3
        drawn += Markup(
            '<text x="0" y="{:.1f}">{}</text><rect class="step {}" x="{:.1f}" y="{:.1f}" width="{:.1f}" '
            'height="{:.1f}"/><text x="{:.1f}" y="{:.1f}">{}</text>'
        ).format(
            y + 10,
            speech.say(step.kind),
            step.kind.value,
            x,
            y,
            wide,
            ROW - 6,
            x + wide + 4,
            y + 10,
            amount_text(step.minor, currency),
        )
    said = ", ".join(f"{speech.say(step.kind)} {amount_text(step.minor, currency)}" for step in told)
    return Markup(
        '<svg class="price-steps" viewBox="0 0 {:g} {:g}" role="img"><title>{}: {}</title>{}</svg>'
    ).format(WIDE, len(told) * ROW + 4, amount_text(total, currency), said, drawn)
