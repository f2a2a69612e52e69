"""What hands chose and saw at the bench: ways of a job and habits of a person, notes with photos, screws taken
out one by one, the room's temperature, jobs that need no part, and a device closed for the night.

Frozen: never edit after release.
"""

SQL = """
alter table job add column schools jsonb not null default '{}' check (jsonb_typeof(schools) = 'object');
-- where a chosen seal cures otherwise than the model's own
alter table job add column cure_minutes integer check (cure_minutes between 0 and 20000);
alter table person add column habits jsonb not null default '{}' check (jsonb_typeof(habits) = 'object');
-- what somebody's finished jobs of a family took beside the sheet: later ones count more
create table own_time (
    person_id bigint not null references person (id),
    family text not null,
    jobs integer not null check (jobs >= 1),
    weight double precision not null check (weight > 0),
    logs double precision not null,
    primary key (person_id, family)
);
insert into own_time (person_id, family, jobs, weight, logs)
    select technician_id, family, count(*), sum(0.95 ^ (place - 1)),
        sum(0.95 ^ (place - 1) * greatest(least(ln(bench_minutes::numeric / greatest(route_minutes + extra_minutes, 1)), ln(3)), -ln(3)))
    from (
        select job.technician_id, model.procedure_family as family, job.bench_minutes, job.route_minutes,
            job.extra_minutes, row_number() over (
                partition by job.technician_id, model.procedure_family order by job.finished_at desc, job.id desc
            ) as place
        from job join model on model.id = job.model_id
        where job.stage = 'handed_back' and job.attempt = 1 and job.bench_minutes > 0 and job.technician_id is not null
    ) done
    where place <= 200
    group by technician_id, family;
alter table shop add column room_c numeric(4, 1) not null default 22 check (room_c between 5 and 40);
alter table job drop constraint job_round_check;
alter table job add constraint job_round_check
    check (round in ('whole', 'rework', 'reopened', 'new_part', 'closing_up', 'for_the_night'));
-- the rule has no name of its own, so it is found by what it says
do $$
declare
    rule text;
begin
    select conname into strict rule from pg_constraint
        where conrelid = 'job'::regclass and pg_get_constraintdef(oid) like '%offer_id IS NOT NULL%';
    execute format('alter table job drop constraint %I', rule);
end $$;
-- reseating and moving a serial need no part
alter table job add constraint job_agreed check (
    stage in ('identified', 'declined', 'returned')
    or (price_minor is not null and (offer_id is not null or route in ('reseat', 'serial')))
);
create table bench_note (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null check (char_length(step) <= 80),
    says text not null check (char_length(says) <= 600),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index bench_note_job_id on bench_note (job_id, id);
create trigger bench_note_rows before update or delete on bench_note
    for each row execute function refuse_rewrite();
create trigger bench_note_all before truncate on bench_note
    for each statement execute function refuse_rewrite();
alter table photo add column note_id bigint references bench_note (id);
create index photo_note_id on photo (note_id) where note_id is not null;
alter table photo add constraint photo_of_note check (note_id is null or job_id is not null);
-- each screw by its place, out or in again; of a place the last one counts
create table bench_screw (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null check (char_length(step) <= 80),
    place integer not null check (place between 1 and 999),
    done boolean not null,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index bench_screw_job_id on bench_screw (job_id, attempt, id);
create trigger bench_screw_rows before update or delete on bench_screw
    for each row execute function refuse_rewrite();
create trigger bench_screw_all before truncate on bench_screw
    for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
