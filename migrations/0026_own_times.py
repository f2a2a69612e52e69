"""Own times with what learning needs, rework counted apart; somebody's own week; what a shop weighs in its plan.

Frozen: never edit after release.
"""

SQL = """
alter table own_time
    drop constraint own_time_jobs_check,
    drop constraint own_time_weight_check,
    add check (jobs >= 0),
    add check (weight >= 0),
    add column numbers double precision not null default 0,
    add column squares double precision not null default 0,
    add column products double precision not null default 0,
    add column reworked integer not null default 0 check (reworked >= 0),
    add column rework_minutes integer not null default 0 check (rework_minutes >= 0);
-- of jobs before this, each counts as the mean of all: their order is not kept
update own_time set
    numbers = told.numbers,
    squares = told.squares,
    products = told.numbers * logs / weight
from (
    select person_id, family, sum(counts * ln(n)) as numbers, sum(counts * ln(n) ^ 2) as squares
    from (select person_id, family, n, power(0.95, jobs - n) as counts
          from own_time, generate_series(1, jobs) as n where jobs > 0) as each_job
    group by person_id, family
) as told
where told.person_id = own_time.person_id and told.family = own_time.family and weight > 0;
-- somebody's own week: when they work on a day, with a break or none; where there is none, the shop's hours count
create table shift (
    person_id bigint not null references person (id),
    weekday integer not null check (weekday between 0 and 6),
    begins integer not null check (begins between 0 and 1440),
    ends integer not null check (ends between 0 and 1440 and ends > begins),
    break_from integer,
    break_until integer,
    primary key (person_id, weekday),
    check ((break_from is null) = (break_until is null)),
    check (break_from is null or (begins < break_from and break_from < break_until and break_until < ends))
);
-- what a waiting customer counts, and what a moved job must gain; none = as usual
alter table shop add column planning jsonb not null default '{}' check (jsonb_typeof(planning) = 'object');
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
