"""One file per open format: bytes ↔ core values."""
