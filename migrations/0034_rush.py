"""A rush is a fact of the job: it was agreed with its price, and counts in the plan. What of a price is for the
parts stays as it was shown.

Frozen: never edit after release.
"""

SQL = """
alter table job add column rush boolean not null default false;
alter table job add column part_minor integer check (part_minor >= 0);
"""


def up(migrator, db):
    db.execute_sql(SQL)
