"""A mail as MIME (RFC 5322, RFC 2045), by the standard library."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, formataddr

# whoever really sends puts the shop's own address here; names that end so reach nobody (RFC 2606)
SENDER = "no-reply@sutura.invalid"


@dataclass(frozen=True, slots=True, kw_only=True)
class Attached:
    """A file that goes with a mail; `kind` is its media type."""

    name: str
    kind: str
    content: bytes


def make_mail(
    *,
    sender: str,
    to: str,
    subject: str,
    text: str,
    number: str,
    at: datetime,
    files: Sequence[Attached] = (),
) -> bytes:
    """One mail, ready to be handed to whoever sends mails; `number` makes its Message-ID, so that one that is
    sent twice is known to be the same.
    """
    mail = EmailMessage(policy=SMTP)
    # a line break in a name would begin another header
    mail["From"] = formataddr((" ".join(sender.split()), SENDER))
    mail["To"] = " ".join(to.split())
    mail["Subject"] = " ".join(subject.split())
    mail["Date"] = format_datetime(at)
    mail["Message-ID"] = f"<{number}@sutura.invalid>"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(text.rstrip() + "\n", charset="utf-8")
    for file in files:
        main, _, sub = file.kind.partition("/")
        mail.add_attachment(file.content, maintype=main, subtype=sub, filename=file.name)
    return mail.as_bytes()
