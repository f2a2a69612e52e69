"""What comes back: bound to the job it came back from, its cause with the evidence, who pays; and the terms of the
warranty in versions.

Frozen: never edit after release.
"""

SQL = """
create table comeback (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    of_job_id bigint not null references job (id),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    check (of_job_id < job_id)
);
create index comeback_of_job_id on comeback (of_job_id);
create trigger comeback_rows before update or delete on comeback
    for each row execute function refuse_rewrite();
create trigger comeback_all before truncate on comeback
    for each statement execute function refuse_rewrite();
-- the cause as it was decided; another later has its reason, and the last one counts
create table comeback_cause (
    id bigserial primary key,
    job_id bigint not null references comeback (job_id),
    cause text not null check (cause in ('part', 'workmanship', 'new_damage', 'not_promised', 'not_found')),
    payer text not null check (payer in ('customer', 'shop', 'supplier')),
    price text not null check (price in ('nothing', 'work', 'all')),
    evidence jsonb not null check (jsonb_typeof(evidence) = 'array'),
    reason text not null default '' check (char_length(reason) <= 300),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index comeback_cause_job_id on comeback_cause (job_id, id);
create trigger comeback_cause_rows before update or delete on comeback_cause
    for each row execute function refuse_rewrite();
create trigger comeback_cause_all before truncate on comeback_cause
    for each statement execute function refuse_rewrite();
-- a version of the terms holds for what is handed back from then on
create table warranty_terms (
    id bigserial primary key,
    work_days integer not null check (work_days between 0 and 3650),
    voids text not null check (char_length(voids) between 5 and 600),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create trigger warranty_terms_rows before update or delete on warranty_terms
    for each row execute function refuse_rewrite();
create trigger warranty_terms_all before truncate on warranty_terms
    for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
