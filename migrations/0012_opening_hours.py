"""The shop's week of opening hours and its closed days; none kept = always open.

Frozen: never edit after release.
"""

SQL = """
alter table shop add column hours jsonb not null default '{}'
    check (jsonb_typeof(hours) = 'object');
"""


def up(migrator, db):
    db.execute_sql(SQL)
