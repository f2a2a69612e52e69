"""Readings of heat at the bench: how warm an edge was, read on what, by whom; and until when a device waits.

Frozen: never edit after release.
"""

SQL = """
create table heat_reading (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null check (char_length(step) between 1 and 61),
    edge text not null check (edge in ('', 'top', 'right', 'bottom', 'left')),
    surface text not null check (surface in ('glass', 'tape', 'plastic', 'anodised')),
    read_c numeric(5, 1) not null check (read_c between -20 and 300),
    true_c numeric(5, 1) not null check (true_c between -60 and 400),
    source text not null check (source in ('typed', 'thermometer')),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index heat_reading_job_id on heat_reading (job_id, id);
create trigger heat_reading_rows before update or delete on heat_reading
    for each row execute function refuse_rewrite();
create trigger heat_reading_all before truncate on heat_reading
    for each statement execute function refuse_rewrite();

-- a device that waits by the clock, until somebody sees to it
alter table job add waits_until timestamptz
    check (waits_until >= '2000-01-01 00:00Z' and waits_until < '2200-01-02 00:00Z');
-- every page asks for those whose time is over
create index job_waits_until on job (waits_until) where waits_until is not null;
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
