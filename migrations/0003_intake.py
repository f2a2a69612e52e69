"""Intake: what was observed, how it came, photographs.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
alter table job
    add column look jsonb not null default '{}',
    add column arrival jsonb not null default '{}';

create table photo (
    id bigserial primary key,
    job_id bigint references job (id),
    draft_id text,
    says text not null default '',
    width integer not null check (width > 0),
    height integer not null check (height > 0),
    image bytea not null,
    thumb bytea not null,
    person_id bigint not null references person (id),
    at timestamptz not null,
    check ((job_id is null) <> (draft_id is null))
);
create index photo_job_id on photo (job_id);
create index photo_draft_id on photo (draft_id);
"""


def up(migrator, db):
    db.execute_sql(SQL)
