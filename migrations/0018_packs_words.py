"""Pieces that are sold in packs, a supplier's own words for kinds of parts, consumables that are
ordered, photos of pieces, and parts that are moved to another place.

Frozen: never edit after release.
"""

SQL = """
alter table offer add pack integer not null default 1 check (pack between 1 and 10000);
alter table supplier add kind_words jsonb not null default '{}' check (jsonb_typeof(kind_words) = 'object');
alter table price_list add words jsonb not null default '{}' check (jsonb_typeof(words) = 'object');

-- a limit of none is worked out of what repairs use
alter table consumable alter again_at drop not null;
alter table consumable alter again_at drop default;
alter table consumable
    add supplier_id text references supplier (id),
    add holds numeric(12, 2) check (holds > 0),
    add price_minor integer check (price_minor between 0 and 1000000000),
    add lead_days integer not null default 7 check (lead_days between 0 and 365),
    add ordered numeric(12, 2) not null default 0 check (ordered >= 0),
    add expected_on date check (expected_on between '2000-01-01' and '2200-01-01'),
    add check ((ordered > 0) = (expected_on is not null));
create index consumable_supplier_id on consumable (supplier_id);

-- where a part lay, and who moved it
create table part_moved (
    id bigserial primary key,
    part_id bigint not null references part (id),
    from_bin text not null check (char_length(from_bin) <= 40),
    to_bin text not null check (char_length(to_bin) between 1 and 40 and to_bin <> from_bin),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index part_moved_part_id on part_moved (part_id, id);
create trigger part_moved_rows before update or delete on part_moved
    for each row execute function refuse_rewrite();
create trigger part_moved_all before truncate on part_moved
    for each statement execute function refuse_rewrite();

-- the year a device came out, beside its data: all of them are asked for at once
alter table model add released integer generated always as (coalesce((data ->> 'released')::integer, 0)) stored;

-- how many devices of a model came in, week by week: a year of them is asked for by every look at the Shelf
create table model_came (
    id bigserial primary key,
    model_id text not null references model (id) on delete cascade,
    week date not null,
    jobs integer not null
);
create unique index model_came_model_id_week on model_came (model_id, week);
create index model_came_week on model_came (week);
insert into model_came (model_id, week, jobs)
    select model_id, date_trunc('week', received_at at time zone 'UTC')::date, count(*) from job group by 1, 2;
create function keep_came() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' then
        update model_came set jobs = jobs - 1 where model_id = old.model_id
            and week = date_trunc('week', old.received_at at time zone 'UTC')::date;
    end if;
    insert into model_came (model_id, week, jobs)
        values (new.model_id, date_trunc('week', new.received_at at time zone 'UTC')::date, 1)
        on conflict (model_id, week) do update set jobs = model_came.jobs + 1;
    return null;
end $$;
create trigger job_came after insert on job for each row execute function keep_came();
create trigger job_came_otherwise after update of model_id, received_at on job for each row
    when (old.model_id is distinct from new.model_id or old.received_at is distinct from new.received_at)
    execute function keep_came();

-- what was seen of a piece is shown by a photo
alter table photo add piece_id bigint references piece (id);
alter table photo drop constraint photo_check;
alter table photo add constraint photo_of_one check (num_nonnulls(job_id, draft_id, piece_id) = 1);
create index photo_piece_id on photo (piece_id);
-- pieces that are less than was bought are no stock of what was bought
create index piece_less on piece (part_id) where state = 'here' and found = 'less';
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
