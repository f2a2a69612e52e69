"""Handing back: what goes out, what is paid, the papers, the warranty and what comes back."""
