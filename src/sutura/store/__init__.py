"""The only SQL. One file per capability; `lock_`, `load_`, `_page` read, `add_` and `save_` write."""
