"""A job's seam: one stitch a stage on a thread; done, loose (open), crossed (blocked) or ahead."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from markupsafe import Markup

from sutura.core.job import SeamStitch, Stitch
from sutura.words.speech import PLAIN, Speech


def seam_words(stitches: Sequence[SeamStitch], speech: Speech = PLAIN) -> str:
    """The seam in one sentence, for those who do not see it."""
    done = sum(stitch.state is Stitch.DONE for stitch in stitches)
    now = next((stitch for stitch in stitches if stitch.state in (Stitch.LOOSE, Stitch.CROSSED)), None)
    if now is None:
        return speech.text("Seam: all {done} stitches done", done=done)
    so_far = {"done": done, "all": len(stitches), "name": now.name}
    if now.state is Stitch.CROSSED:
        words = "Seam: {done} of {all} stitches done, blocked at {name}: {reason}"
        return speech.text(words, **so_far, reason=now.reason)
    return speech.text("Seam: {done} of {all} stitches done, next {name}", **so_far)


@lru_cache(maxsize=1024)
def draw_seam(stitches: tuple[SeamStitch, ...], *, full: bool = False, speech: Speech = PLAIN) -> Markup:
    """The seam as a picture; `full` writes each stage's name under its stitch. A list draws the same few over
    and over.
    """
    pitch, middle = (96.0, 18.0) if full else (19.0, 11.0)
    size = 9.0 if full else 6.5
    wide, high = pitch * len(stitches), 52.0 if full else 22.0
    pieces = [Markup('<line class="thread" x1="0" y1="{}" x2="{}" y2="{}"/>').format(middle, wide, middle)]
    for index, stitch in enumerate(stitches):
        x = pitch * (index + 0.5)
        pieces.append(_stitch(stitch.state, x, middle, size))
        if full:
            pieces.append(_label(stitch, x, speech))
    return Markup(
        '<svg class="seam {}" viewBox="0 0 {:g} {:g}" preserveAspectRatio="xMinYMid" '
        'role="img"><title>{}</title>{}</svg>'
    ).format("full" if full else "small", wide, high, seam_words(stitches, speech), Markup("").join(pieces))


def _label(stitch: SeamStitch, x: float, speech: Speech) -> Markup:
    now = " now" if stitch.state in (Stitch.LOOSE, Stitch.CROSSED) else ""
    blocked = stitch.state is Stitch.CROSSED
    words = speech.text("{name} (blocked)" if blocked else "{name}", name=stitch.name)
    return Markup('<text class="stage{}" x="{:g}" y="44" text-anchor="middle">{}</text>').format(
        now, x, words
    )


def _stitch(state: Stitch, x: float, y: float, size: float) -> Markup:
    lean = size * 0.55
    if state is Stitch.DONE:
        return Markup('<line class="done" x1="{:g}" y1="{:g}" x2="{:g}" y2="{:g}"/>').format(
            x - lean, y + size, x + lean, y - size
        )
    if state is Stitch.LOOSE:
        return Markup('<path class="loose" d="M{:g} {:g} q {:g} {:g} {:g} {:g}"/>').format(
            x - lean, y + size, -lean, -2 * size, 2 * lean, -2 * size
        )
    if state is Stitch.CROSSED:
        return Markup(
            '<path class="crossed" d="M{0:g} {1:g} L{2:g} {3:g} M{2:g} {1:g} L{0:g} {3:g}"/>'
        ).format(x - size * 0.7, y + size * 0.8, x + size * 0.7, y - size * 0.8)
    return Markup('<circle class="ahead" cx="{:g}" cy="{:g}" r="{:g}"/>').format(x, y, size * 0.32)
