"""A rush is a fact of the job: it was agreed with its price, and counts in the plan.

Frozen: never edit after release.
"""

SQL = """
alter table job add column rush boolean not null default false;
"""


def up(migrator, db):
    db.execute_sql(SQL)
