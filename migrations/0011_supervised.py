"""Who stands beside somebody who is not trained for the work is kept with the step.

Frozen: never edit after release.
"""

SQL = """
alter table bench_step add column supervisor_id bigint references person (id);
"""


def up(migrator, db):
    db.execute_sql(SQL)
