"""What is used up by the centimetre, the millilitre or the piece: tape, glue, alcohol, wipes.

Frozen: never edit after release.
"""

SQL = """
create table consumable (
    id text primary key check (id ~ '^[a-z0-9-]{1,40}$'),
    name text not null check (char_length(name) between 1 and 80),
    unit text not null check (unit in ('cm', 'ml', 'piece')),
    used_for text not null check (used_for in ('tape', 'glue', 'cleaner', 'wipe', 'other')),
    place text not null default '' check (char_length(place) <= 40),
    on_hand numeric(12, 2) not null default 0 check (on_hand >= 0),
    again_at numeric(12, 2) not null default 0 check (again_at >= 0),
    doubtful boolean not null default false,
    version integer not null default 1
);

create table consumable_move (
    id bigserial primary key,
    consumable_id text not null references consumable (id),
    quantity numeric(12, 2) not null check (quantity between -1000000 and 1000000),
    short numeric(12, 2) not null default 0 check (short >= 0),
    kind text not null check (kind in ('receipt', 'used', 'count')),
    job_id bigint references job (id),
    note text not null default '' check (char_length(note) <= 4000),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    check (kind <> 'receipt' or quantity > 0),
    check ((kind = 'used') = (job_id is not null)),
    check (kind <> 'used' or quantity <= 0)
);
create index consumable_move_consumable_id on consumable_move (consumable_id, id);
create unique index consumable_move_used_once on consumable_move (job_id, consumable_id) where kind = 'used';
create trigger consumable_move_rows before update or delete on consumable_move
    for each row execute function refuse_rewrite();
create trigger consumable_move_all before truncate on consumable_move
    for each statement execute function refuse_rewrite();

-- on hand is the sum of the moves
create function keep_consumable() returns trigger language plpgsql as $$
begin
    update consumable set on_hand = on_hand + new.quantity,
        doubtful = case when new.kind = 'count' then false else doubtful or new.short > 0 end
        where id = new.consumable_id;
    return null;
end $$;
create trigger consumable_move_level after insert on consumable_move
    for each row execute function keep_consumable();
create function guard_consumable() returns trigger language plpgsql as $$
begin
    if pg_trigger_depth() = 1 then
        raise exception 'consumables change through their moves only' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger consumable_level before update of on_hand on consumable
    for each row execute function guard_consumable();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
