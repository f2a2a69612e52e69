"""Who gets a device back unrepaired can be told so, with the papers that there are.

Frozen: never edit after release.
"""

SQL = """
alter table message drop constraint message_kind_check;
alter table message add constraint message_kind_check
    check (kind in ('ready', 'reminder', 'delayed', 'question', 'quote', 'receipt', 'returned'));
"""


def up(migrator, db):
    db.execute_sql(SQL)
