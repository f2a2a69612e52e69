"""Tests on the device itself by a link of its own, looks at a bare panel, what a sealed screen shows, a second
person's look, and proofs that a manager lets pass.

Frozen: never edit after release.
"""

SQL = """
-- who reads the database cannot use a link: what is kept is its hash, and that of the device that opened it
create table test_link (
    id bigserial primary key,
    link text not null unique check (char_length(link) = 64),
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 0),
    device text check (char_length(device) = 64),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    expires_at timestamptz not null check (expires_at > at and expires_at <= at + interval '1 day')
);
create index test_link_job_id on test_link (job_id, id);
create table device_test (
    id bigserial primary key,
    job_id bigint not null references job (id),
    link_id bigint not null references test_link (id),
    attempt integer not null check (attempt >= 0),
    sent_key text not null check (char_length(sent_key) between 8 and 64),
    kind text not null check (kind in ('touch', 'picture', 'function')),
    function text not null check (char_length(function) between 1 and 60),
    outcome text not null check (outcome in ('works', 'faulty', 'not_testable')),
    measured boolean not null,
    reasons jsonb not null check (jsonb_typeof(reasons) = 'array'),
    found jsonb not null check (jsonb_typeof(found) = 'object' and pg_column_size(found) < 1000000),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (link_id, sent_key)
);
create index device_test_job_id on device_test (job_id, id);
create trigger device_test_rows before update or delete on device_test
    for each row execute function refuse_rewrite();
create trigger device_test_all before truncate on device_test
    for each statement execute function refuse_rewrite();
-- a look at a bare panel on a white field; what is left is accepted with a reason
create table dust_look (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    specks jsonb not null check (jsonb_typeof(specks) = 'array' and jsonb_array_length(specks) <= 200),
    accepted text not null default '' check (char_length(accepted) <= 200),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index dust_look_job_id on dust_look (job_id, id);
create trigger dust_look_rows before update or delete on dust_look
    for each row execute function refuse_rewrite();
create trigger dust_look_all before truncate on dust_look
    for each statement execute function refuse_rewrite();
-- a sealed device, after sealing or after the cure: the function list, and how flush it lies
create table sealed_look (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    look text not null check (look in ('after_sealing', 'after_cure')),
    results jsonb not null check (jsonb_typeof(results) = 'object'),
    felt jsonb not null check (jsonb_typeof(felt) = 'object'),
    passed boolean not null,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index sealed_look_job_id on sealed_look (job_id, id);
create trigger sealed_look_rows before update or delete on sealed_look
    for each row execute function refuse_rewrite();
create trigger sealed_look_all before truncate on sealed_look
    for each statement execute function refuse_rewrite();
-- a proof that a manager lets pass although something does not work: the customer is told
create table proof_override (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    names jsonb not null check (jsonb_typeof(names) = 'array'),
    reason text not null check (char_length(reason) between 5 and 300),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (job_id, attempt)
);
create trigger proof_override_rows before update or delete on proof_override
    for each row execute function refuse_rewrite();
create trigger proof_override_all before truncate on proof_override
    for each statement execute function refuse_rewrite();
-- a job that was handed back before it was ready: what was not, why it went all the same, and who said so
create table let_go (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    waits jsonb not null check (jsonb_typeof(waits) = 'array'),
    reason text not null check (char_length(reason) between 5 and 300),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create trigger let_go_rows before update or delete on let_go
    for each row execute function refuse_rewrite();
create trigger let_go_all before truncate on let_go
    for each statement execute function refuse_rewrite();
-- whose look besides a beginner's own the shop wants before a device is sealed
alter table shop add column second_look text not null default '' check (second_look in ('', 'part', 'all'));
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
