"""Bounds for every day, amount and text; customers made one without chains; prices with who changed them; what is
erased is erased from what happened, too.

Frozen: never edit after release.
"""

# Not checked for what is there already: a shop with one bad row must be able to migrate, and to mend it.
BOUNDS = """
do $$
declare c record;
begin
    for c in select table_name, column_name, data_type from information_schema.columns
             where table_schema = 'public' and is_generated = 'NEVER' and table_name not like 'procrastinate%%' and table_name in (
                 select table_name from information_schema.tables
                 where table_schema = 'public' and table_type = 'BASE TABLE')
             order by table_name, ordinal_position
    loop
        if c.data_type = 'timestamp with time zone' then
            execute format('alter table %%I add constraint %%I check (%%I >= timestamptz ''2000-01-01 00:00Z'' '
                'and %%I < timestamptz ''2200-01-02 00:00Z'') not valid',
                c.table_name, c.table_name || '_' || c.column_name || '_day', c.column_name, c.column_name);
        elsif c.data_type = 'text' and (c.table_name, c.column_name) not in (('pack_preview', 'text')) then
            execute format('alter table %%I add constraint %%I check (char_length(%%I) <= 4000) not valid',
                c.table_name, c.table_name || '_' || c.column_name || '_length', c.column_name);
        elsif c.data_type in ('integer', 'bigint') and c.column_name like '%%\\_minor' then
            execute format('alter table %%I add constraint %%I check (%%I between -1000000000 and 1000000000) not valid',
                c.table_name, c.table_name || '_' || c.column_name || '_amount', c.column_name);
        end if;
    end loop;
end $$;
alter table job add constraint job_promise_plausible check (
    promise_at between received_at - interval '400 days' and received_at + interval '10 years') not valid;
"""

CUSTOMERS = """
alter table customer add constraint customer_not_itself check (merged_into_id <> id) not valid;
-- A record becomes part of a living one, and nothing is part of it any more: no chains, no rings.
create function check_merged() returns trigger language plpgsql as $$
begin
    if new.merged_into_id is not null and (tg_op = 'INSERT' or new.merged_into_id is distinct from old.merged_into_id) then
        perform 1 from customer where id = new.merged_into_id and merged_into_id is null and erased_at is null for share;
        if not found then
            raise exception 'customer %% is not a living record', new.merged_into_id using errcode = 'check_violation';
        end if;
        if exists (select 1 from customer where merged_into_id = new.id) then
            raise exception 'others are part of customer %%', new.id using errcode = 'check_violation';
        end if;
    end if;
    return new;
end $$;
create trigger customer_merged before insert or update of merged_into_id on customer
    for each row execute function check_merged();
-- A job is a living customer's; those of an erased one stay as figures.
create function check_living_customer() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' or new.customer_id <> old.customer_id then
        perform 1 from customer where id = new.customer_id and merged_into_id is null and erased_at is null for share;
        if not found then
            raise exception 'customer %% is not a living record', new.customer_id using errcode = 'check_violation';
        end if;
    end if;
    return new;
end $$;
create trigger job_customer before insert or update of customer_id on job
    for each row execute function check_living_customer();
"""

# What happened is never rewritten, but a person may ask to be forgotten: the texts that tell of them go, the rows stay.
ERASING = """
create or replace function refuse_rewrite() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and tg_level = 'ROW' and current_setting('sutura.erasing', true) = 'yes' then
        return new;
    end if;
    raise exception '%% is append-only: %% refused', tg_table_name, tg_op using errcode = 'restrict_violation';
end $$;
"""

PRICES = """
alter table offer_price add column person_id bigint references person (id);
create or replace function keep_price() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' or new.price_minor <> old.price_minor then
        insert into offer_price (offer_id, price_minor, at, person_id) values (
            new.id, new.price_minor, now(), nullif(current_setting('sutura.person', true), '')::bigint);
    end if;
    return null;
end $$;
"""

# what a form held when its key was used first; empty = not known, from before
FORMS = """
alter table form_key add column content text not null default '';
"""

# bodies of four, then of five
CODES = """
alter table job drop constraint job_code_check;
alter table job add constraint job_code_check check (code ~ '^[0-9A-HJKMNP-TV-Z]{2}-[0-9A-HJKMNP-TV-Z]{3,4}$');
"""

# what a restore cannot repeat: running processes forget what they keep when it changes
RESTORED = """
alter table shop add column stamp text not null default '';
"""

# who reads a list now, and how often it was begun without a row more: one that was overtaken writes nothing, one that
# kills its reader is given up
TURNS = """
alter table price_list
    add column turn integer not null default 0 check (turn >= 0),
    add column tries integer not null default 0 check (tries >= 0),
    add column says text not null default '' check (char_length(says) <= 4000);
"""

# who did it when nobody was signed in is the program, or whoever has its command line
AUDIT = """
alter table audit_event alter column person_id drop not null, add column address text not null default '';
create index audit_event_at on audit_event (at);
"""


def up(migrator, db):
    for part in (BOUNDS, CUSTOMERS, ERASING, PRICES, FORMS, CODES, RESTORED, TURNS, AUDIT):
        db.execute_sql(part)
