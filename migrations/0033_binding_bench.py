"""The bench binds: waits with who put the device there and took it off, what is hot, limits that were let pass
with their reasons, which piece a programmer asked, and the round of a part that is suspected.

Frozen: never edit after release.
"""

SQL = """
alter table job drop constraint job_round_check;
alter table job add constraint job_round_check check (
    round in ('whole', 'rework', 'reopened', 'new_part', 'closing_up', 'for_the_night', 'suspected')
);
alter table heat_reading drop constraint heat_reading_edge_check;
alter table heat_reading add constraint heat_reading_edge_check
    check (edge in ('', 'top', 'right', 'bottom', 'left', 'near the cell'));
alter table display_serial add column piece_id bigint references piece (id);

-- a device on the plate, in the clamp, under tension: from when somebody put it there until it was taken off
create table bench_wait (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null check (char_length(step) between 1 and 80),
    minutes integer not null check (minutes between 1 and 20000),
    started_at timestamptz not null check (started_at >= '2000-01-01 00:00Z' and started_at < '2200-01-02 00:00Z'),
    started_by_id bigint not null references person (id),
    ended_at timestamptz check (ended_at >= started_at and ended_at < '2200-01-02 00:00Z'),
    ended_by_id bigint references person (id),
    early text not null default '' check (char_length(early) <= 300),
    check ((ended_at is null) = (ended_by_id is null)),
    check (early = '' or ended_at is not null)
);
create unique index bench_wait_runs on bench_wait (job_id) where ended_at is null;
create index bench_wait_job_id on bench_wait (job_id, id);

-- a plate, gun or pad that was switched on for a job, until it is off
create table heat_source (
    id bigserial primary key,
    job_id bigint not null references job (id),
    what text not null check (what in ('heat gun', 'hair dryer', 'pad', 'plate', 'gel pack')),
    on_at timestamptz not null check (on_at >= '2000-01-01 00:00Z' and on_at < '2200-01-02 00:00Z'),
    on_by_id bigint not null references person (id),
    off_at timestamptz check (off_at >= on_at and off_at < '2200-01-02 00:00Z'),
    off_by_id bigint references person (id),
    check ((off_at is null) = (off_by_id is null))
);
-- one plate holds one job at a time
create unique index heat_source_plate on heat_source (what) where what = 'plate' and off_at is null;
create unique index heat_source_on on heat_source (job_id, what) where off_at is null;
create index heat_source_job_id on heat_source (job_id, id);

-- what a step asked for and did not get, why it went on all the same, and who said so
create table limit_passed (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null check (char_length(step) between 1 and 80),
    what text not null check (what in ('wait', 'heat', 'serial')),
    said jsonb not null,
    reason text not null check (char_length(reason) between 1 and 300),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index limit_passed_job_id on limit_passed (job_id, id);
create trigger limit_passed_rows before update or delete on limit_passed
    for each row execute function refuse_rewrite();
create trigger limit_passed_all before truncate on limit_passed
    for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
