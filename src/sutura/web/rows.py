"""One bad row never stops a list: `{% row code %} … {% endrow %}` in a template stands for itself.

What the services could judge may still break where it is written out. Such a row says that it cannot be shown
and where it is looked at, the rest of the page stands, and it is logged with how many there were since the
start.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

import structlog
from jinja2 import nodes
from jinja2.ext import Extension
from jinja2.parser import Parser
from markupsafe import Markup

LOG = structlog.get_logger()
_BROKEN = count(1)


class Row(Extension):
    """The tag `row`: what breaks in its body is said in its place. Its one argument is the job's code."""

    tags = {"row"}  # noqa: RUF012 - as jinja names it

    def parse(self, parser: Parser) -> nodes.Node:
        line = next(parser.stream).lineno
        code = parser.parse_expression()
        body = parser.parse_statements(("name:endrow",), drop_needle=True)
        return nodes.CallBlock(self.call_method("hold", [code]), [], [], body).set_lineno(line)

    def hold(self, code: str, caller: Callable[[], str]) -> str:
        try:
            return caller()
        except Exception:
            LOG.exception("row not written", job=code, broken_since_start=next(_BROKEN))
            return Markup(
                '<span class="stop"><a class="code" href="/jobs/{0}">{0}</a> cannot be shown here, something '
                "kept of it is not right. It is in the log; tell whoever looks after Sutura.</span>"
            ).format(code)
