"""The bench: what comes off and goes on, in which order, and how far it is."""
