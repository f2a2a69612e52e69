"""The plan that is made by computation: who is away, how many of each station there are, what is held fast, and the
last plan.

Frozen: never edit after release.
"""

SQL = """
-- places by station; none = as usual
alter table shop add column stations jsonb not null default '{}' check (jsonb_typeof(stations) = 'object');
create table absence (
    id bigserial primary key,
    person_id bigint not null references person (id),
    from_at timestamptz not null,
    until_at timestamptz not null check (until_at > from_at and until_at < from_at + interval '400 days'),
    why text not null default '' check (char_length(why) <= 120),
    by_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index absence_person_id on absence (person_id, until_at);
-- what the manager holds fast of a job: its person, when it begins, or both
create table plan_pin (
    job_id bigint primary key references job (id),
    person_id bigint references person (id),
    start_at timestamptz,
    by_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    check (person_id is not null or start_at is not null)
);
-- the last good plan; it stands until a newer one is made
create table day_plan (
    id integer primary key check (id = 1),
    made_at timestamptz not null,
    start_at timestamptz not null,
    seen text not null,
    plan jsonb not null check (jsonb_typeof(plan) = 'object')
);
-- the way to somebody's calendar is known to them alone: what is kept is the hash of it
create table calendar_link (
    person_id bigint primary key references person (id),
    link text not null unique check (char_length(link) = 64),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
