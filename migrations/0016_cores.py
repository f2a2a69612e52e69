"""The old screen of a repaired device: kept with a place until it is handed back, recycled or sold as a core.

Frozen: never edit after release.
"""

SQL = """
create table old_screen (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    place text not null default '' check (char_length(place) <= 40),
    state text not null default 'kept' check (state in ('kept', 'handed_back', 'recycled', 'sold')),
    buyer text not null default '' check (char_length(buyer) <= 80),
    amount_minor integer check (amount_minor between 0 and 1000000000),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    ended_at timestamptz check (ended_at >= '2000-01-01 00:00Z' and ended_at < '2200-01-02 00:00Z'),
    version integer not null default 1,
    check ((state = 'kept') = (ended_at is null)),
    check ((state = 'sold') = (amount_minor is not null)),
    check ((state = 'sold') = (buyer <> ''))
);
create index old_screen_kept on old_screen (at) where state = 'kept';

create function check_old_screen() returns trigger language plpgsql as $$
begin
    if old.state <> 'kept' or new.job_id <> old.job_id then
        raise exception 'an old screen that is % stays so', old.state using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger old_screen_state before update on old_screen for each row execute function check_old_screen();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
