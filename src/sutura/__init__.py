"""Sutura runs the screen-repair work of a small shop. Start reading at docs/map.md."""
