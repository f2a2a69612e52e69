"""The catalogue grows: packs, retiring, unlisted devices, numbers of their own table, article numbers, pack format 2.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
alter table model
    add column part_family text not null default '',
    add column construction text not null default '',
    add column pack text not null default '',
    add column state text not null default 'listed' check (state in ('listed', 'retired', 'unlisted', 'template')),
    add column edited_by_id bigint references person (id),
    add column edited_at timestamptz,
    add constraint model_edited check ((edited_by_id is null) = (edited_at is null)),
    add constraint model_in_a_pack check (pack <> '' or state <> 'template');

update model set
    part_family = data ->> 'part_family',
    construction = data ->> 'construction',
    pack = case
        when id like 'fennick-finch%%' then 'fennick-older'
        when id like 'fennick-heron%%' then 'fennick'
        when id = 'ardale-plain-15' then 'ardale'
        when id = 'tarnbeck-slate-11' then 'tarnbeck'
        else '' end;

-- Rows of pack format 1 become format 2; what format 1 did not say is filled with the usual and can be edited.
update model set data =
    '{"tacs": [], "features": {}, "opening_tools": [], "closed_test": false}'::jsonb || data
    || jsonb_build_object(
        'face', (data -> 'face') || jsonb_build_object(
            'glass', jsonb_build_object('x', 0, 'y', 0, 'width', data #> '{face,width_mm}', 'height', data #> '{face,height_mm}'),
            'edges', (select jsonb_object_agg(edge, '{"depth_mm": 3, "why": "usual limit"}'::jsonb)
                      from unnest(array['top', 'right', 'bottom', 'left']) edge),
            'spots', (select coalesce(jsonb_agg(spot || jsonb_build_object('what', case
                          when spot ->> 'name' ilike '%%camera%%' then 'camera'
                          when spot ->> 'name' ilike '%%button%%' then 'button'
                          when spot ->> 'name' ilike '%%microphone%%' then 'microphone'
                          when spot ->> 'name' ilike '%%sensor%%' then 'sensor'
                          else 'speaker' end) order by place), '[]')
                      from jsonb_array_elements(data #> '{face,spots}') with ordinality s (spot, place)),
            'keep_outs', (select coalesce(jsonb_agg(keep || jsonb_build_object('edge', case
                          when (keep #>> '{box,y}')::numeric = 0 then 'top'
                          when (keep #>> '{box,x}')::numeric = 0 then 'left'
                          when (keep #>> '{box,y}')::numeric + (keep #>> '{box,height}')::numeric
                               >= (data #>> '{face,height_mm}')::numeric then 'bottom'
                          else 'right' end) order by place), '[]')
                      from jsonb_array_elements(data #> '{face,keep_outs}') with ordinality k (keep, place))),
        'screws', (select coalesce(jsonb_agg((screw - 'bit') || jsonb_build_object(
                          'bits', jsonb_build_array(screw -> 'bit'), 'side', 'inside', 'at', '[]'::jsonb) order by place), '[]')
                   from jsonb_array_elements(data -> 'screws') with ordinality s (screw, place)),
        'steps', (select jsonb_agg(case when step ? 'heat'
                          then jsonb_set(step, '{heat,where}', '"anywhere"') else step end order by place)
                  from jsonb_array_elements(data -> 'steps') with ordinality s (step, place)),
        'heat_limits', (select coalesce(jsonb_agg(jsonb_build_object('where', 'anywhere', 'max_c', hottest, 'why',
                          'as the sheet says; shop ceiling 60 °C at a cell')), '[]')
                        from (select greatest(60, max((step #>> '{heat,target_c}')::integer)) as hottest
                              from jsonb_array_elements(data -> 'steps') step where step ? 'heat' having count(*) > 0) h),
        'connectors', (select coalesce(jsonb_agg(distinct jsonb_build_object(
                          'name', step #> '{plug,name}', 'kind', 'press', 'where', 'inside')), '[]')
                       from jsonb_array_elements(data -> 'steps') step where step ? 'plug'),
        'seals', case when data ->> 'seal' = '' then '[]'::jsonb else jsonb_build_array(jsonb_build_object(
                          'method', data -> 'seal', 'cure_minutes', data -> 'cure_minutes', 'note', 'the usual')) end)
where not data ? 'connectors';

create index model_maker_name on model (maker, name);
create index model_pack on model (pack);

create table model_number (
    id bigserial primary key,
    model_id text not null references model (id) on delete cascade,
    kind text not null check (kind in ('exact', 'prefix', 'tac')),
    text text not null,
    plain text not null,
    rest text not null default ''
);
create index model_number_model_id on model_number (model_id);
create index model_number_plain on model_number (plain text_pattern_ops);

-- A sequence, because its numbers are not given again after a transaction was taken back: what is kept in memory under a
-- revision or a version is then never another transaction's.
create sequence catalogue_revision;
create table catalogue_state (
    id integer primary key check (id = 1),
    revision bigint not null
);
insert into catalogue_state (id, revision) values (1, nextval('catalogue_revision'));

create table pack (
    id text primary key,
    kind text not null check (kind in ('models', 'parts')),
    head jsonb not null,
    read_at timestamptz
);

create table pack_preview (
    id text primary key,
    person_id bigint not null references person (id),
    name text not null,
    text text not null,
    at timestamptz not null
);

alter table part
    add column pack text not null default '',
    add column gtin text not null default '' check (gtin ~ '^([0-9]{8}|[0-9]{12,14})?$');
update part set pack = 'parts';
create unique index part_gtin on part (lpad(gtin, 14, '0')) where gtin <> '';
create index part_printed on part (upper(regexp_replace(printed_number, '[^A-Za-z0-9]', '', 'g')) text_pattern_ops);
create index job_model_id on job (model_id);
"""

GUARDS = """
-- The numbers of a model are those of its JSON, whoever writes it.
create function keep_model_numbers() returns trigger language plpgsql as $$
begin
    delete from model_number where model_id = new.id;
    insert into model_number (model_id, kind, text, plain, rest)
    select new.id, one ->> 'kind', one ->> 'text', upper(regexp_replace(one ->> 'text', '[^A-Za-z0-9|]', '', 'g')),
           coalesce(one ->> 'rest', '')
    from jsonb_array_elements(new.data -> 'numbers') one;
    insert into model_number (model_id, kind, text, plain)
    select new.id, 'tac', tac, tac from jsonb_array_elements_text(new.data -> 'tacs') tac;
    return null;
end $$;
create trigger model_numbers after insert or update of data on model for each row execute function keep_model_numbers();

-- Whoever keeps the catalogue in memory sees by the revision that it changed.
create function count_catalogue() returns trigger language plpgsql as $$
begin
    update catalogue_state set revision = nextval('catalogue_revision') where id = 1;
    return null;
end $$;
create trigger model_revision after insert or update or delete on model for each statement execute function count_catalogue();

-- Only what is listed or was measured here is taken in: the same as State.taken_in in core/catalogue.
create function check_job_model() returns trigger language plpgsql as $$
begin
    if (select state from model where id = new.model_id) not in ('listed', 'unlisted') then
        raise exception 'model %% is not taken in any more', new.model_id using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger job_model before insert on job for each row execute function check_job_model();
"""


def up(migrator, db):
    db.execute_sql(SQL)
    db.execute_sql(GUARDS)
    db.execute_sql("update model set data = data")
