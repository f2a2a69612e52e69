"""What an entry of the audit says."""

from __future__ import annotations

from sutura.words.audit import told


def test_only_what_changed_is_told_and_nothing_in_a_programs_spelling() -> None:
    person = {
        "person": 4,
        "password": False,
        "before": {"name": "Ada", "active": True, "hours": [[1, 2]]},
        "after": {"name": "Ada", "active": False, "hours": [[1, 3]]},
    }
    assert told(person) == [("person", "4"), ("password", "no"), ("active", "yes → no"), ("hours", "changed")]
    assert told({"before": [20, 30], "after": [20]}) == [("", "20, 30 → 20")]
    assert told({"pack": "parts", "changes": {"added": 2}}) == [("pack", "parts"), ("changes", "added 2")]
    assert told({"offer": 3, "before": 750, "after": 800}) == [("offer", "3"), ("", "750 → 800")]
    assert told({"closed": [], "note": None}) == [("closed", "–"), ("note", "–")]
