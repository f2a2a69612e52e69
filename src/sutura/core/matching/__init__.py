"""Matching: whether a part fits, why, in which order, and what can be put together."""
