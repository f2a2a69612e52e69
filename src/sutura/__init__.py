"""Sutura runs the screen-repair work of a small shop. Start reading at docs/map.md."""

# the one place of the version; pyproject.toml and `./sutura --version` read it
__version__ = "0.17.0"
