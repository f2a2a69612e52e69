"""Pages: read a form, call one service, show what came back. They decide nothing."""
