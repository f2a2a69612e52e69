"""A message sender that puts what is sent into a local outbox: one file a message, a mail as it is
(`.eml`), the newest kept.

Faults that can be switched on: `away` (nothing is sent), `refuses` (a number or address is not known
there).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from email import policy
from email.parser import BytesHeaderParser
from pathlib import Path

from sutura.devices.ports import Away, Message, Undeliverable

FAULTS = ("away", "refuses")
# as many are kept in the outbox; the stand-in's own
MOST = 200


class SimulatedMessenger:
    """Keeps what it sent, and writes it into a folder where one is given."""

    def __init__(self, faults: Collection[str] = (), outbox: Path | None = None) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.outbox = outbox
        self.sent: list[Message] = []

    def send(self, message: Message) -> None:
        if "away" in self.faults:
            raise Away("the message sender does not answer")
        if "refuses" in self.faults or not message.to.strip():
            raise Undeliverable(message.to)
        self.sent = [*self.sent, message][-MOST:]
        if self.outbox:
            self._write(self.outbox, message)

    def forget(self, receivers: Sequence[str]) -> None:
        if "away" in self.faults:
            raise Away("the message sender does not answer")
        self.sent = [message for message in self.sent if message.to not in receivers]
        for file in self.outbox.iterdir() if self.outbox and self.outbox.exists() else ():
            if file.suffix in (".txt", ".eml") and _to(file) in receivers:
                file.unlink(missing_ok=True)

    def _write(self, outbox: Path, message: Message) -> None:
        """A message holds a link that nobody else should read: only its owner may."""
        outbox.mkdir(mode=0o700, parents=True, exist_ok=True)
        there = sorted(file for file in outbox.iterdir() if file.suffix in (".txt", ".eml"))
        number = int(there[-1].stem) + 1 if there else 1
        file = outbox / f"{number:06d}{'.eml' if message.mail else '.txt'}"
        file.touch(mode=0o600)
        if message.mail:
            file.write_bytes(message.mail)
        else:
            file.write_text(f"To: {message.to}\n\n{message.text}\n", "utf-8")
        for old in there[: max(len(there) + 1 - MOST, 0)]:
            old.unlink(missing_ok=True)


def _to(file: Path) -> str:
    """Whom a message of the outbox went to; a text begins like a mail does."""
    return str(BytesHeaderParser(policy=policy.compat32).parsebytes(file.read_bytes())["To"] or "")
