"""One file for each capability: addresses, what is sent, which template. Pages decide nothing."""
