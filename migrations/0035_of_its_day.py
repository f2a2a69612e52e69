"""A job keeps the functions of its day and the model that it was opened by: what the catalogue says later changes
no list that was answered and no sheet that was begun. Jobs of before keep what their model says of the functions that
were tried, the name alone of what it no longer has, and their model where it is still the one of their sheet. The
note on an invoice goes with a customer who is erased.

Frozen: never edit after release.
"""

SQL = """
create table model_version (
    model_id text not null references model (id),
    version integer not null check (version >= 1),
    data jsonb not null,
    primary key (model_id, version)
);
insert into model_version (model_id, version, data)
select distinct on (model.id) model.id, model.version, model.data
from job_sheet
join job on job.id = job_sheet.job_id
join model on model.id = job.model_id and model.version = job_sheet.model_version;

alter table job add column functions jsonb not null default '[]';
update job set functions = kept.functions
from (
    select tried.job_id, jsonb_agg(
        coalesce(known.value, jsonb_build_object('id', tried.function, 'name', tried.function, 'how', ''))
        order by known.place nulls last, tried.function
    ) as functions
    from (select distinct job_id, function from function_result) as tried
    join job on job.id = tried.job_id
    join model on model.id = job.model_id
    left join lateral (
        select one.value, one.place
        from jsonb_array_elements(model.data -> 'functions') with ordinality as one (value, place)
        where one.value ->> 'id' = tried.function
        limit 1
    ) as known on true
    group by tried.job_id
) as kept
where kept.job_id = job.id;

-- guesses at links that nobody made, of the last minute, whichever process was asked
create table link_try (
    id bigserial primary key,
    address text not null check (char_length(address) <= 60),
    at timestamptz not null
);
create index link_try_address_at on link_try (address, at);

-- what an invoice says stays, but for who bought: of a customer who is erased the note goes too
create or replace function refuse_changed_invoice() returns trigger language plpgsql as $$
declare
    gone text[] := case when current_setting('sutura.erasing', true) = 'yes' then '{buyer,note}' else '{buyer}' end;
begin
    if tg_op = 'DELETE' or (old.series, old.year, old.number, old.job_id, old.kind, old.gross_minor,
        old.body - gone) is distinct from (new.series, new.year, new.number, new.job_id, new.kind,
        new.gross_minor, new.body - gone) then
        raise exception '% is append-only: % refused', tg_table_name, tg_op using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
