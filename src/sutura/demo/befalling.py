"""What befalls some jobs of the demo besides the usual: a wrong part, a wet board, the night, the hot plate,
a question, a quote that nobody answered yet.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from sutura.core.bench.progress import Progress
from sutura.core.job import Stage
from sutura.core.quoting.answers import MOST_WAYS
from sutura.core.stock.levels import PartFate
from sutura.demo.holding import AtWork, put_on
from sutura.demo.shop import DemoJob
from sutura.services import answers, bench, hands, heat, routes, stock


class Lived(AtWork, Protocol):
    """A job that is lived through, told by its line in the demo's list."""

    job: DemoJob

    def step(self) -> Progress: ...

    def steps_until_proof(self) -> None: ...

    def receive_what_is_missing(self) -> None: ...


def on_the_bench(story: Lived) -> None:
    """The part is wrong, or the repair is given up."""
    held = {part.part_id: PartFate.DEFECTIVE.value for part in bench.bench_page(story.code).held}
    story.pass_time(5)
    if story.job.befell == "other_part":
        story.steps_until_proof()
        why = "a dead strip along the left edge"
        bench.change_part(story.code, held, why, story.technician, story.at)
        if story.job.stage is Stage.QUOTED:
            return
        story.receive_what_is_missing()
        stock.take_part(story.code, story.staff["pell"], story.at)
        bench.open_job(story.code, story.technician, story.at)
    elif story.job.befell == "given_up":
        for _ in range(story.job.steps or 6):
            story.step()
        fates = dict.fromkeys(held, PartFate.GOOD.value)
        why = "the board was wet: no screen helps"
        bench.give_up(story.code, fates, why, story.technician, story.at)


def _closed_for_the_night(story: Lived) -> None:
    """It was late: the shortest way back to a closed device, with a note for whoever goes on."""
    step = bench.bench_page(story.code).progress.step
    says = "One clip at the bottom is brittle: start at the left."
    hands.keep_note(story.code, step.id if step else "", says, b"", story.technician, story.at)
    hands.close_for_the_night(story.code, story.technician, story.at)
    while bench.bench_page(story.code).progress.step:
        story.step()


def _on_the_plate(story: Lived) -> None:
    """It lies on the hot plate, and its time runs."""
    while step := bench.bench_page(story.code).progress.step:
        if step.heat and heat.source_of(step) == heat.PLATE:
            put_on(story, step)
            return
        story.step()
    raise RuntimeError(f"{story.code}: no step of {story.job.model} lies on the plate")


def _asked(story: Lived) -> None:
    """Something more was found inside; the customer is asked."""
    story.pass_time(4)
    answers.ask_found(story.code, "the battery is swollen", "45.00", story.staff["pell"], story.at)


def _offered(story: Lived) -> None:
    """The ways were sent, and nobody answered yet."""
    story.pass_time(8)
    ways = [one.weighed.way for one in routes.routes_page(story.code, story.at).ways]
    keys = [way.key for way in ways if not way.why_not][:MOST_WAYS]
    answers.offer_ways(story.code, keys, story.staff["pell"], story.at)


# what comes after the last deed of a job
AFTER: Mapping[str, Callable[[Lived], None]] = {
    "night": _closed_for_the_night,
    "plate": _on_the_plate,
    "asked": _asked,
    "offered": _offered,
}
