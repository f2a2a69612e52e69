"""What a display answered the programmer: its serial read, written and checked, or its silence.

Frozen: never edit after release.
"""

SQL = """
create table display_serial (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    outcome text not null check (outcome in ('read', 'written', 'silent', 'other_model', 'not_kept', 'broke_off')),
    serial text not null default '' check (char_length(serial) <= 60),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    check (outcome not in ('read', 'written') or serial <> '')
);
create index display_serial_job_id on display_serial (job_id, id);
create trigger display_serial_rows before update or delete on display_serial
    for each row execute function refuse_rewrite();
create trigger display_serial_all before truncate on display_serial
    for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
