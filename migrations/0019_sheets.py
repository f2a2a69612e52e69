"""The sheet that a job works by: worked out when it is opened or begun anew, and kept as it was.

Frozen: never edit after release.
"""

SQL = """
create table job_sheet (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    model_version integer not null,
    steps jsonb not null check (jsonb_typeof(steps) = 'array'),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index job_sheet_job_id on job_sheet (job_id, id);
-- what is on the bench goes on by the list it was opened with, whatever the catalogue says later
insert into job_sheet (job_id, attempt, model_version, steps, at)
    select job.id, job.attempt, model.version, model.data -> 'steps', now()
    from job join model on model.id = job.model_id
    where job.stage in ('opened', 'proved') and job.round = 'whole'
        and jsonb_typeof(model.data -> 'steps') = 'array';
create trigger job_sheet_rows before update or delete on job_sheet
    for each row execute function refuse_rewrite();
create trigger job_sheet_all before truncate on job_sheet
    for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
