"""How the shop makes its prices, what its tries of a route came to, and quotes that a customer answers.

Frozen: never edit after release.
"""

SQL = """
alter table shop add column price_policy jsonb not null default '{}' check (jsonb_typeof(price_policy) = 'object');
-- one row for each try of a route that ended: it succeeded, or another part or way had to follow
create table route_try (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    route text not null check (char_length(route) between 1 and 80),
    model_id text not null references model (id),
    technician_id bigint references person (id),
    succeeded boolean not null,
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (job_id, attempt)
);
create index route_try_model on route_try (model_id, route);
create trigger route_try_rows before update or delete on route_try
    for each row execute function refuse_rewrite();
create trigger route_try_all before truncate on route_try
    for each statement execute function refuse_rewrite();
-- what was closed so far succeeded by its route; failures before were not told apart
insert into route_try (job_id, attempt, route, model_id, technician_id, succeeded, at)
    select id, attempt, route, model_id, technician_id, true, coalesce(finished_at, now())
    from job where stage in ('closed', 'handed_back') and route <> '';
create table quote (
    id bigserial primary key,
    job_id bigint not null references job (id),
    version integer not null check (version >= 1),
    -- the way to it is known to the customer alone: what is kept is the hash of it
    link text not null unique check (char_length(link) = 64),
    routes jsonb not null check (jsonb_typeof(routes) = 'array' and jsonb_array_length(routes) between 1 and 3),
    conditions jsonb not null check (jsonb_typeof(conditions) = 'array'),
    currency text not null,
    state text not null check (state in ('open', 'accepted', 'declined', 'superseded')),
    answer text not null default '' check (char_length(answer) <= 80),
    answered_at timestamptz,
    answered_by text not null default '' check (answered_by in ('', 'link', 'counter')),
    valid_until timestamptz not null,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (job_id, version),
    check ((state in ('accepted', 'declined')) = (answered_at is not null))
);
-- one version of a job is open at a time
create unique index quote_open on quote (job_id) where state = 'open';
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
