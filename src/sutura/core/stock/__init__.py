"""Parts: what is there, what is asked for, what to order and when, and what came of it."""
