"""Orders at suppliers with their parcels, what goes back to them, and stock-takes.

Frozen: never edit after release.
"""

TERMS = """
alter table supplier
    add column return_days integer not null default 14 check (return_days between 0 and 365),
    add column least_order_minor integer not null default 0 check (least_order_minor between 0 and 1000000000),
    add column free_from_minor integer check (free_from_minor between 0 and 1000000000),
    add column takes text not null default 'csv' check (takes in ('csv', 'mail'));
alter table shop
    add column fill_percent integer not null default 95 check (fill_percent between 50 and 99),
    add column order_cost_minor integer not null default 500 check (order_cost_minor between 0 and 1000000),
    add column keeping_percent integer not null default 20 check (keeping_percent between 0 and 100),
    add column ageing_percent integer not null default 25 check (ageing_percent between 0 and 100);
"""

ORDERS = """
create table purchase_order (
    id bigserial primary key,
    supplier_id text not null references supplier (id),
    state text not null check (state in ('draft', 'sent', 'closed', 'cancelled')),
    shipping_minor integer not null default 0 check (shipping_minor between 0 and 1000000000),
    answer jsonb not null default '[]',
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    sent_at timestamptz check (sent_at >= '2000-01-01 00:00Z' and sent_at < '2200-01-02 00:00Z'),
    closed_at timestamptz check (closed_at >= '2000-01-01 00:00Z' and closed_at < '2200-01-02 00:00Z'),
    version integer not null default 1,
    check ((state in ('sent', 'closed')) = (sent_at is not null)),
    check ((state in ('closed', 'cancelled')) = (closed_at is not null))
);
create index purchase_order_supplier_id on purchase_order (supplier_id);
create unique index purchase_order_one_draft on purchase_order (supplier_id) where state = 'draft';

create table purchase_line (
    id bigserial primary key,
    order_id bigint not null references purchase_order (id) on delete cascade,
    part_id bigint not null references part (id),
    number text not null check (char_length(number) <= 4000),
    quantity integer not null check (quantity between 1 and 10000),
    price_minor integer not null check (price_minor between 0 and 1000000000),
    for_jobs integer not null default 0 check (for_jobs between 0 and 10000),
    expected_on date check (expected_on between '2000-01-01' and '2200-01-01'),
    short integer not null default 0 check (short >= 0),
    good integer not null default 0 check (good >= 0),
    bad integer not null default 0 check (bad >= 0),
    check (short + good + bad <= quantity)
);
create unique index purchase_line_order_id_part_id on purchase_line (order_id, part_id);
create index purchase_line_part_id on purchase_line (part_id);

-- A sent order is not rewritten: what came of its lines is counted up, and nothing else changes.
create function check_sent_line() returns trigger language plpgsql as $$
declare order_state text;
begin
    select state into order_state from purchase_order where id = coalesce(new.order_id, old.order_id);
    if order_state is null or order_state = 'draft' then
        return coalesce(new, old);
    end if;
    if tg_op <> 'UPDATE' or (new.part_id, new.quantity, new.price_minor, new.number, new.order_id)
        is distinct from (old.part_id, old.quantity, old.price_minor, old.number, old.order_id)
        or new.good < old.good or new.bad < old.bad or new.short < old.short then
        raise exception 'an order that was sent stays as it is' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger purchase_line_sent before insert or update or delete on purchase_line
    for each row execute function check_sent_line();

create function check_order_state() returns trigger language plpgsql as $$
begin
    if new.state <> old.state and (old.state || '>' || new.state) not in (
        'draft>sent', 'draft>cancelled', 'sent>closed') then
        raise exception 'an order cannot go from %% to %%', old.state, new.state using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger purchase_order_state before update on purchase_order for each row execute function check_order_state();

-- What was in the parcels, piece by piece as it was looked at: append-only.
create table purchase_arrival (
    id bigserial primary key,
    line_id bigint not null references purchase_line (id),
    outcome text not null check (outcome in ('good', 'dead', 'wrong', 'damaged', 'extra')),
    quantity integer not null check (quantity between 1 and 10000),
    note text not null default '' check (char_length(note) <= 4000),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    check (outcome = 'good' or note <> '')
);
create index purchase_arrival_line_id on purchase_arrival (line_id);
create trigger purchase_arrival_rows before update or delete on purchase_arrival
    for each row execute function refuse_rewrite();
create trigger purchase_arrival_all before truncate on purchase_arrival
    for each statement execute function refuse_rewrite();
alter table stock_move add column line_id bigint references purchase_line (id);
"""

USES = """
-- What was used of a part week by week, kept with the ledger: its sum, so that a million moves are not read for advice.
create table part_use (
    id bigserial primary key,
    part_id bigint not null references part (id),
    week date not null,
    uses integer not null
);
create unique index part_use_part_id_week on part_use (part_id, week);
create index part_use_week on part_use (week);
insert into part_use (part_id, week, uses)
    select part_id, date_trunc('week', at at time zone 'UTC')::date, -sum(quantity) from stock_move
    where kind in ('fitted', 'taken_out') group by 1, 2;
create function keep_uses() returns trigger language plpgsql as $$
begin
    insert into part_use (part_id, week, uses)
        values (new.part_id, date_trunc('week', new.at at time zone 'UTC')::date, -new.quantity)
        on conflict (part_id, week) do update set uses = part_use.uses + excluded.uses;
    return null;
end $$;
create trigger stock_move_uses after insert on stock_move
    for each row when (new.kind in ('fitted', 'taken_out')) execute function keep_uses();
create function guard_uses() returns trigger language plpgsql as $$
begin
    if pg_trigger_depth() = 1 then
        raise exception 'uses change through the ledger only' using errcode = 'restrict_violation';
    end if;
    return coalesce(new, old);
end $$;
create trigger part_use_rows before insert or update or delete on part_use
    for each row execute function guard_uses();
"""

RETURNS = """
create table supplier_return (
    id bigserial primary key,
    supplier_id text not null references supplier (id),
    part_id bigint not null references part (id),
    line_id bigint references purchase_line (id),
    job_id bigint references job (id),
    cause text not null check (cause in ('dead', 'wrong', 'damaged', 'extra', 'broken', 'warranty')),
    quantity integer not null check (quantity between 1 and 10000),
    owed_minor integer not null check (owed_minor between 0 and 1000000000),
    state text not null check (state in ('to_send', 'sent', 'refunded', 'refused', 'borne')),
    send_by date check (send_by between '2000-01-01' and '2200-01-01'),
    parcel text not null default '' check (char_length(parcel) <= 4000),
    refunded_minor integer check (refunded_minor between 0 and 1000000000),
    note text not null default '' check (char_length(note) <= 4000),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    closed_at timestamptz check (closed_at >= '2000-01-01 00:00Z' and closed_at < '2200-01-02 00:00Z'),
    version integer not null default 1,
    check ((state in ('refunded', 'refused', 'borne')) = (closed_at is not null)),
    check ((state = 'refunded') = (refunded_minor is not null)),
    check (state <> 'sent' or parcel <> ''),
    check (cause <> 'broken' or state = 'borne')
);
create index supplier_return_supplier_id on supplier_return (supplier_id);
create index supplier_return_part_id on supplier_return (part_id);

create function check_return_state() returns trigger language plpgsql as $$
begin
    if new.state <> old.state and (old.state || '>' || new.state) not in (
        'to_send>sent', 'to_send>refunded', 'to_send>borne', 'sent>refunded', 'sent>refused') then
        raise exception 'a return cannot go from %% to %%', old.state, new.state using errcode = 'check_violation';
    end if;
    if (new.supplier_id, new.part_id, new.cause, new.quantity, new.owed_minor)
        is distinct from (old.supplier_id, old.part_id, old.cause, old.quantity, old.owed_minor) then
        raise exception 'what is returned stays as it was written' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger supplier_return_state before update on supplier_return
    for each row execute function check_return_state();
"""

TAKES = """
create table stock_take (
    id bigserial primary key,
    place text not null default '' check (char_length(place) <= 40),
    state text not null check (state in ('open', 'finished', 'left')),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    finished_at timestamptz check (finished_at >= '2000-01-01 00:00Z' and finished_at < '2200-01-02 00:00Z'),
    check ((state = 'open') = (finished_at is null))
);
create unique index stock_take_one_open on stock_take (place) where state = 'open';

create table stock_take_count (
    id bigserial primary key,
    take_id bigint not null references stock_take (id),
    part_id bigint not null references part (id),
    counted integer not null check (counted between 0 and 10000),
    expected integer not null check (expected >= 0),
    again boolean not null default false,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create unique index stock_take_count_take_id_part_id on stock_take_count (take_id, part_id);
create index stock_take_count_part_id on stock_take_count (part_id);
"""

# What the pieces on hand cost together, kept with the ledger: what comes in brings its cost, what goes out takes its
# share of the average with it, the last piece all that is left. The rule is core/stock/levels.py move_value.
VALUES = """
alter table part add column value_minor bigint not null default 0 check (value_minor between 0 and 1000000000000000);
alter table stock_move add column value_minor bigint not null default 0
    check (value_minor between -1000000000000000 and 1000000000000000);
create function move_value(value bigint, pieces integer, quantity integer, unit_cost integer) returns bigint
language sql immutable as $$
    select case
        when quantity > 0 and unit_cost is not null then quantity::bigint * unit_cost
        when pieces = 0 then 0
        when -quantity = pieces then -value
        else round(value::numeric * quantity / pieces)::bigint
    end
$$;
create function value_move() returns trigger language plpgsql as $$
begin
    select move_value(part.value_minor, part.on_hand, new.quantity, new.unit_cost_minor) into new.value_minor
        from part where id = new.part_id for update;
    return new;
end $$;

-- the moves of before are gone through as they came
alter table stock_move disable trigger stock_move_rows;
do $$
declare m record; pieces integer := 0; value bigint := 0; of_part bigint := 0; one bigint;
begin
    for m in select id, part_id, quantity, unit_cost_minor from stock_move order by part_id, id loop
        if m.part_id <> of_part then
            of_part := m.part_id; pieces := 0; value := 0;
        end if;
        one := move_value(value, pieces, m.quantity, m.unit_cost_minor);
        update stock_move set value_minor = one where id = m.id;
        pieces := pieces + m.quantity; value := value + one;
        update part set value_minor = value where id = m.part_id;
    end loop;
end $$;
alter table stock_move enable trigger stock_move_rows;

create trigger stock_move_value before insert on stock_move for each row execute function value_move();
create or replace function keep_on_hand() returns trigger language plpgsql as $$
begin
    update part set on_hand = on_hand + new.quantity, value_minor = value_minor + new.value_minor
        where id = new.part_id;
    return null;
end $$;
create trigger part_values before update of value_minor on part for each row execute function guard_levels();
alter table part add constraint part_nothing_is_worth_nothing check (on_hand > 0 or value_minor = 0);
"""


def up(migrator, db):
    for part in (TERMS, ORDERS, USES, VALUES, RETURNS, TAKES):
        db.execute_sql(part)
