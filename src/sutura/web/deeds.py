"""What a page does with a form: the deed once, then the next page, or the same page shown again."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from functools import wraps

from fastapi.responses import RedirectResponse, Response

from sutura.core.errors import NotAllowed, NotFound, Refusal
from sutura.services.once import once, once_outside
from sutura.web.errors import status_of
from sutura.web.session import Asking, Form, Sent, Shown

Handler = Callable[..., Response]


def deed(
    *, then: str, again: Handler, before: Callable[..., object] | None = None, outside: bool = False
) -> Callable[[Callable[..., object]], Handler]:
    """A handler that does one thing a person asked for with a form, once however often it is sent.

    It goes on to the address `then`, in which `{code}` is the argument of that name and `{done}` what the
    deed returned. A refusal shows `again`, with what was refused and everything still entered. What the
    person may not do, and what does not exist, has a page of its own. Deed and `again` each take those parts
    of the address that they need, and the deed the form where it reads it. `before` is done first, and not in
    the transaction of the deed: it is once by what it keeps itself. `outside` is for a deed that asks an
    outside device: it is in no transaction, and keeps by itself what it keeps.
    """
    doing = once_outside if outside else once

    def decorate(act: Callable[..., object]) -> Handler:
        taken = _parameters(act)
        # what a page takes by keyword alone is for those who call it, not for the address
        shown_with = {
            name: part for name, part in _parameters(again).items() if part.kind is not part.KEYWORD_ONLY
        }
        first = _parameters(before) if before else {}
        both = {**shown_with, **first, **taken}
        both.pop("shown", None)
        both["form"] = inspect.Parameter("form", inspect.Parameter.KEYWORD_ONLY, annotation=Form)

        @wraps(act)
        def handle(*, ask: Asking, form: Sent, **of: object) -> Response:
            given = {"ask": ask, "form": form, **of}

            def go() -> str:
                done = act(**{name: given[name] for name in taken})
                return then.format(**of, done=done)

            try:
                if before:
                    before(**{name: given[name] for name in first})
                address = doing(form.text("form_key"), ask.person, ask.now, go, form.content)
            except (NotAllowed, NotFound):
                raise
            except Refusal as refusal:
                shown = Shown(refusal=refusal, status=status_of(refusal), sent=form)
                return again(**{name: given[name] for name in shown_with if name in given}, shown=shown)
            return RedirectResponse(address, status_code=303)

        # FastAPI reads here what a handler takes
        handle.__signature__ = inspect.Signature(  # type: ignore[attr-defined]
            [part.replace(kind=inspect.Parameter.KEYWORD_ONLY) for part in both.values()]
        )
        return handle

    return decorate


def _parameters(of: Callable[..., object]) -> dict[str, inspect.Parameter]:
    return dict(inspect.signature(of, eval_str=True).parameters)
