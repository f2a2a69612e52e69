"""A mail as MIME (RFC 5322, RFC 2045), by the standard library."""

from __future__ import annotations

from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, formataddr

# whoever really sends puts the shop's own address here; names that end so reach nobody (RFC 2606)
SENDER = "no-reply@sutura.invalid"


def make_mail(*, sender: str, to: str, subject: str, text: str, number: str, at: datetime) -> bytes:
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
    return mail.as_bytes()
