"""Says facts: for a locale and a zone. Pages, papers, messages, the command line and the history use it."""
