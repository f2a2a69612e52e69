"""Matching: what was measured and learned of parts, prices over time, price lists, the shop's weights, kits.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
alter table supplier
    add column shipping_minor integer not null default 0 check (shipping_minor >= 0),
    add column mapping jsonb not null default '{}',
    add column tried integer not null default 0,
    add column bad integer not null default 0,
    add constraint supplier_bad_of_tried check (bad between 0 and tried);

alter table part
    add column measured jsonb not null default '{}',
    drop constraint part_grade_check,
    add constraint part_grade_check check (grade in ('', 'genuine new', 'genuine pulled', 'refurbished', 'aftermarket'));
-- What offers are picked by before they are judged: what was measured counts before what is claimed.
create function known_number(measured jsonb, claimed jsonb, name text) returns numeric language sql immutable as $$
    select case jsonb_typeof(coalesce(measured -> name -> 'value', claimed -> name))
        when 'number' then (coalesce(measured -> name -> 'value', claimed -> name) #>> '{}')::numeric end
$$;
alter table part
    add column family text generated always as (coalesce(measured -> 'part_family' ->> 'value', attributes ->> 'part_family')) stored,
    add column width_mm numeric generated always as (known_number(measured, attributes, 'width_mm')) stored,
    add column active_mm numeric generated always as (known_number(measured, attributes, 'active_width_mm')) stored,
    add column pins numeric generated always as (known_number(measured, attributes, 'connector_pins')) stored;
create index part_kind_width_mm_family on part (kind, width_mm, family);
create index part_kind_active_mm on part (kind, active_mm);
create index part_of_the_shelf on part (id) where pack not like 'list:%%';
drop index part_kind;

alter table offer
    add column minimum integer not null default 1 check (minimum > 0),
    add column price_breaks jsonb not null default '[]',
    add column stock_there integer check (stock_there >= 0),
    add column guarantee_days integer check (guarantee_days >= 0),
    add column returns text not null default '',
    add column seen_at timestamptz;
create index offer_part_price on offer (part_id, price_minor);

-- Prices over time, kept whoever changes one.
create table offer_price (
    id bigserial primary key,
    offer_id bigint not null references offer (id) on delete cascade,
    price_minor integer not null check (price_minor > 0),
    at timestamptz not null
);
create index offer_price_offer_id on offer_price (offer_id, id);
insert into offer_price (offer_id, price_minor, at) select id, price_minor, now() from offer;
create function keep_price() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' or new.price_minor <> old.price_minor then
        insert into offer_price (offer_id, price_minor, at) values (new.id, new.price_minor, now());
    end if;
    return null;
end $$;
create trigger offer_price_kept after insert or update of price_minor on offer for each row execute function keep_price();
create trigger offer_price_rows before update on offer_price for each row execute function refuse_rewrite();

create table fit_evidence (
    id bigserial primary key,
    model_id text not null references model (id),
    part_id bigint not null references part (id),
    offer_id bigint references offer (id) on delete set null,
    job_id bigint references job (id),
    outcome text not null check (outcome in ('fitted and proved', 'did not fit', 'was defective')),
    says text not null default '',
    person_id bigint not null references person (id),
    at timestamptz not null
);
create index fit_evidence_model_id on fit_evidence (model_id, part_id, outcome, id);
create index fit_evidence_offer_id on fit_evidence (offer_id);
-- How a supplier's pieces did, counted as it is learned.
create function count_supplier() returns trigger language plpgsql as $$
begin
    if new.outcome <> 'did not fit' then
        update supplier set tried = tried + 1, bad = bad + (new.outcome = 'was defective')::int
        where id = (select supplier_id from offer where id = new.offer_id);
    end if;
    return null;
end $$;
create trigger fit_evidence_counted after insert on fit_evidence for each row execute function count_supplier();
create trigger fit_evidence_rows before delete on fit_evidence for each row execute function refuse_rewrite();

alter table shop add column weights jsonb not null default '{}';
alter table job
    add column measured jsonb not null default '{}',
    add column destroyed jsonb not null default '[]',
    add column more_offers jsonb not null default '[]';
create index job_measured on job (model_id, id) where measured <> '{}';

-- A kit holds several parts for one job, each once.
drop index reservation_one_per_job;
create unique index reservation_one_per_job on reservation (job_id, part_id) where state = 'held';
drop index stock_move_fitted_once;
create unique index stock_move_fitted_once on stock_move (job_id, part_id) where kind = 'fitted';

create table price_list (
    id bigserial primary key,
    supplier_id text not null references supplier (id),
    name text not null,
    file bytea not null,
    mapping jsonb not null default '{}',
    state text not null check (state in ('new', 'checking', 'checked', 'reading', 'read', 'failed')),
    rows_total integer not null default 0,
    rows_done integer not null default 0,
    counts jsonb not null default '{}',
    bad jsonb not null default '[]',
    person_id bigint not null references person (id),
    at timestamptz not null,
    finished_at timestamptz,
    check (rows_done between 0 and rows_total)
);
create index price_list_supplier_id on price_list (supplier_id);
"""


def up(migrator, db):
    db.execute_sql(SQL)
