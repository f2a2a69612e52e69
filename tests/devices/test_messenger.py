"""The contract of a message sender, which a real driver would pass as well; and the faults of the
stand-in.
"""

from __future__ import annotations

import stat
from collections.abc import Callable
from pathlib import Path

import pytest

from sutura import wiring
from sutura.config import MESSAGE_FAULTS
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, Message, Messenger, Undeliverable
from sutura.devices.simulated.messenger import FAULTS, MOST, SimulatedMessenger

# a driver of a real sender is put in here beside the stand-in
SENDERS: list[Callable[[], Messenger]] = [SimulatedMessenger]
HELLO = Message(to="555 0100", text="The quote is here.")


@pytest.mark.parametrize("make", SENDERS)
def test_a_message_is_taken_and_one_to_nobody_is_not(make: Callable[[], Messenger]) -> None:
    sender = make()
    sender.send(HELLO)
    with pytest.raises(Undeliverable):
        sender.send(Message(to=" ", text="lost"))


def test_what_is_sent_lies_in_the_outbox_for_its_owner_alone(tmp_path: Path) -> None:
    outbox = tmp_path / "outbox"
    sender = SimulatedMessenger(outbox=outbox)
    sender.send(HELLO)
    sender.send(Message(to="a@b.example", text="Second."))
    first, second = sorted(outbox.glob("*.txt"))
    assert first.read_text("utf-8") == "To: 555 0100\n\nThe quote is here.\n"
    assert "Second." in second.read_text("utf-8")
    assert stat.S_IMODE(first.stat().st_mode) == 0o600
    assert stat.S_IMODE(outbox.stat().st_mode) == 0o700
    # another process goes on where this one stopped, and old ones go
    other = SimulatedMessenger(outbox=outbox)
    for number in range(MOST):
        other.send(Message(to="1", text=str(number)))
    left = sorted(outbox.glob("*.txt"))
    assert len(left) == MOST
    assert left[-1].read_text("utf-8") == f"To: 1\n\n{MOST - 1}\n"


def test_what_was_sent_to_somebody_is_forgotten_and_nothing_else(tmp_path: Path) -> None:
    sender = SimulatedMessenger(outbox=tmp_path / "outbox")
    mail = b"From: shop@x.example\r\nTo: a@b.example\r\nSubject: hello\r\n\r\nTo: 555 0199\r\n"
    for message in (
        HELLO,
        Message(to="555 0199", text="Other."),
        Message(to="a@b.example", text="M", mail=mail),
    ):
        sender.send(message)
    # of another process
    SimulatedMessenger(outbox=tmp_path / "outbox").forget(["555 0100", "a@b.example"])
    [left] = (tmp_path / "outbox").iterdir()
    assert "Other." in left.read_text("utf-8")
    sender.forget(["555 0199"])
    assert [message.to for message in sender.sent] == ["555 0100", "a@b.example"]
    with pytest.raises(Away):
        SimulatedMessenger(["away"]).forget(["555 0100"])
    SimulatedMessenger().forget(["555 0100"])


def test_faults_can_be_switched_on() -> None:
    assert set(MESSAGE_FAULTS) == set(FAULTS)
    with pytest.raises(Away):
        SimulatedMessenger(["away"]).send(HELLO)
    with pytest.raises(Undeliverable):
        SimulatedMessenger(["refuses"]).send(HELLO)
    with pytest.raises(ValueError, match="no such fault: deaf"):
        SimulatedMessenger(["deaf"])


def test_the_setting_plugs_a_sender_with_its_faults() -> None:
    before = plugged().messenger
    try:
        wiring.plug_devices()
        assert isinstance(plugged().messenger, SimulatedMessenger)
    finally:
        plug(messenger=before)
