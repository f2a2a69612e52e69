"""Generators for property tests."""

from __future__ import annotations

from hypothesis import strategies as st

from sutura.core.job import JobFacts, Move, Stage

stages = st.sampled_from(list(Stage))
moves = st.sampled_from(list(Move))
job_facts = st.builds(
    JobFacts,
    code=st.just("00-KV6"),
    stage=stages,
    **{name: st.booleans() for name in JobFacts.__dataclass_fields__ if name not in ("code", "stage")},
)
