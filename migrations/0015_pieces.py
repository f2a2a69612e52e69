"""Dear parts piece by piece: each with its label, cost, supplier, last day to send it back, film and place.

Frozen: never edit after release.
"""

TABLES = """
alter table shop
    add column pieces_from_minor integer not null default 2000 check (pieces_from_minor between 0 and 1000000000);
alter table part add column by_piece boolean not null default false;

create table piece (
    id bigserial primary key,
    part_id bigint not null references part (id),
    move_id bigint references stock_move (id),
    supplier_id text references supplier (id),
    lot text not null default '' check (char_length(lot) <= 40),
    place text not null default '' check (char_length(place) <= 40),
    cost_minor integer not null check (cost_minor between 0 and 1000000000),
    state text not null default 'here' check (state in ('here', 'fitted', 'gone')),
    film text not null default 'on' check (film in ('on', 'off', 'none')),
    found text not null default '' check (found in ('', 'as_bought', 'less')),
    found_grade text not null default '' check (char_length(found_grade) <= 40),
    return_by date check (return_by between '2000-01-01' and '2200-01-01'),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    version integer not null default 1,
    check ((found = 'less') = (found_grade <> ''))
);
create index piece_part_id on piece (part_id);
create index piece_here on piece (return_by) where state = 'here';
create index piece_move_id on piece (move_id);

create table piece_event (
    id bigserial primary key,
    piece_id bigint not null references piece (id),
    kind text not null check (kind in ('film_off', 'looked_at', 'moved', 'labelled')),
    note text not null default '' check (char_length(note) <= 4000),
    detail jsonb not null default '{}',
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index piece_event_piece_id on piece_event (piece_id);
create trigger piece_event_rows before update or delete on piece_event
    for each row execute function refuse_rewrite();
create trigger piece_event_all before truncate on piece_event
    for each statement execute function refuse_rewrite();

alter table reservation add column piece_id bigint references piece (id);
create unique index reservation_one_per_piece on reservation (piece_id) where state = 'held';
create index reservation_piece_id on reservation (piece_id);
alter table stock_move add column piece_id bigint references piece (id);
create index stock_move_piece_id on stock_move (piece_id);
alter table supplier_return add column piece_id bigint references piece (id);
"""

KINDS = """
alter table stock_move drop constraint stock_move_kind_check;
alter table stock_move add constraint stock_move_kind_check check (kind in (
    'receipt', 'fitted', 'taken_out', 'defective', 'broken', 'returned', 'written_off', 'count'));
alter table stock_move add constraint stock_move_out_of_the_shelf_check check (
    kind not in ('returned', 'written_off') or (quantity < 0 and note <> ''));
"""

# The ledger moves the pieces: what is received makes them, what goes out names the one that goes, what comes back the
# one that is back. What a piece is worth is what it cost. The rules are those of core/stock/pieces.py.
GUARDS = """
create or replace function value_move() returns trigger language plpgsql as $$
declare tracked boolean; cost integer;
begin
    select by_piece, move_value(part.value_minor, part.on_hand, new.quantity, new.unit_cost_minor)
        into tracked, new.value_minor from part where id = new.part_id for update;
    if not tracked then
        if new.piece_id is not null then
            raise exception 'this part has no pieces of its own' using errcode = 'check_violation';
        end if;
        return new;
    end if;
    if new.piece_id is null then
        if new.quantity < 0 then
            raise exception 'name the piece that goes' using errcode = 'check_violation';
        end if;
        return new;
    end if;
    select cost_minor into cost from piece where id = new.piece_id and part_id = new.part_id;
    if cost is null or abs(new.quantity) <> 1 then
        raise exception 'one piece of this part moves at a time' using errcode = 'check_violation';
    end if;
    new.value_minor := new.quantity * cost;
    return new;
end $$;

create function film_of(kind text) returns text language sql immutable as $$
    select case when kind in ('adapter flex', 'small part') then 'none' else 'on' end
$$;
create function move_piece() returns trigger language plpgsql as $$
declare done integer;
begin
    if new.piece_id is null then
        -- shares that add up to the value, to the cent
        insert into piece (part_id, move_id, place, film, cost_minor, at)
            select new.part_id, new.id, part.bin, film_of(part.kind),
                new.value_minor * n / new.quantity - new.value_minor * (n - 1) / new.quantity, new.at
            from part, generate_series(1, new.quantity) as n where part.id = new.part_id and part.by_piece;
        return null;
    end if;
    if new.quantity < 0 and exists (
        select from reservation where piece_id = new.piece_id and state = 'held') then
        raise exception 'the piece is promised' using errcode = 'check_violation';
    end if;
    update piece set version = version + 1, state = case
            when new.quantity > 0 then 'here' when new.kind = 'fitted' then 'fitted' else 'gone' end
        where id = new.piece_id and (state = 'here') = (new.quantity < 0);
    get diagnostics done = row_count;
    if done <> 1 then
        raise exception 'the piece is not where it moves from' using errcode = 'check_violation';
    end if;
    return null;
end $$;
create trigger stock_move_piece after insert on stock_move for each row execute function move_piece();

create function guard_pieces() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' or (new.part_id, new.cost_minor) is distinct from (old.part_id, old.cost_minor)
        or (new.state <> old.state and pg_trigger_depth() = 1) then
        raise exception 'pieces change through the ledger only' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger piece_rows before update or delete on piece for each row execute function guard_pieces();

create function check_held_piece() returns trigger language plpgsql as $$
declare tracked boolean;
begin
    if new.state <> 'held' then
        return new;
    end if;
    select by_piece into tracked from part where id = new.part_id;
    if tracked and not exists (
        select from piece where id = new.piece_id and part_id = new.part_id and state = 'here') then
        raise exception 'name a piece that is here' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger reservation_piece before insert or update on reservation
    for each row execute function check_held_piece();

-- as many pieces are here as are on hand, and they are worth together what the part is
create function check_pieces() returns trigger language plpgsql as $$
declare one part; here bigint; worth bigint;
begin
    select * into one from part where id = new.part_id;
    if one.by_piece then
        select count(*), coalesce(sum(cost_minor), 0) into here, worth
            from piece where part_id = one.id and state = 'here';
        if (here, worth) is distinct from (one.on_hand::bigint, one.value_minor) then
            raise exception 'part %%: %% pieces worth %% against %% worth %% in the ledger',
                one.id, here, worth, one.on_hand, one.value_minor using errcode = 'check_violation';
        end if;
    end if;
    return null;
end $$;
create constraint trigger piece_sums after insert or update on piece deferrable initially deferred
    for each row execute function check_pieces();
create constraint trigger stock_move_sums after insert on stock_move deferrable initially deferred
    for each row execute function check_pieces();

-- From now on a part is kept piece by piece: what is on hand becomes pieces, what is promised gets one each.
create function track_pieces(of_part bigint) returns void language plpgsql as $$
declare one part;
begin
    select * into one from part where id = of_part for update;
    if one.by_piece then
        return;
    end if;
    update part set by_piece = true where id = of_part;
    insert into piece (part_id, place, film, cost_minor, at)
        select one.id, one.bin, film_of(one.kind),
            one.value_minor * n / one.on_hand - one.value_minor * (n - 1) / one.on_hand,
            coalesce((select max(at) from stock_move where part_id = one.id and quantity > 0), now())
        from generate_series(1, one.on_hand) as n;
    update reservation set piece_id = given.piece
        from (select held.id as held, here.id as piece
            from (select id, row_number() over (order by id) as n from reservation
                where part_id = of_part and state = 'held') held
            join (select id, row_number() over (order by id) as n from piece
                where part_id = of_part and state = 'here') here using (n)) given
        where reservation.id = given.held;
end $$;
select track_pieces(part.id) from part, shop
    where part.on_hand > 0 and part.value_minor >= part.on_hand::bigint * shop.pieces_from_minor order by part.id;
"""


def up(migrator, db):
    for part in (TABLES, KINDS, GUARDS):
        db.execute_sql(part)
