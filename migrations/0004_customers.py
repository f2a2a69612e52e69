"""Customers: phone numbers in one form, two records made one, one erased; the shop's own consent texts in versions.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
alter table customer
    add column phone_plain text not null default '',
    add column merged_into_id bigint references customer (id),
    add column erased_at timestamptz,
    add constraint customer_not_into_itself check (merged_into_id <> id);
alter table customer drop constraint customer_check;
alter table customer add constraint customer_reachable check (phone <> '' or email <> '' or erased_at is not null);
update customer set phone_plain = regexp_replace(phone, '[^0-9]', '', 'g');
create index customer_phone_plain on customer (phone_plain) where phone_plain <> '';

create table consent_text (
    id bigserial primary key,
    consent text not null check (consent ~ '^[a-z][a-z0-9-]{0,30}$'),
    version integer not null check (version > 0),
    text text not null check (text <> ''),
    needed boolean not null,
    active boolean not null,
    person_id bigint references person (id),
    at timestamptz not null,
    unique (consent, version)
);
insert into consent_text (consent, version, text, needed, active, at) values
    ('data', 1, 'My data may be lost. I have backed up what I need, or I go without.', true, true, now()),
    ('splash', 1, 'After opening, splash protection is no longer promised.', true, true, now()),
    ('parts', 1, 'A part that is not genuine may be used; some features may differ.', true, true, now()),
    ('collect', 1, 'A device not collected within 60 days may be charged for storage.', false, true, now());
create trigger consent_text_rows before update or delete on consent_text for each row execute function refuse_rewrite();
alter table consent add column version integer not null default 1;
"""


def up(migrator, db):
    db.execute_sql(SQL)
