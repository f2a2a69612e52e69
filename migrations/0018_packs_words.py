"""Pieces that are sold in packs, a supplier's own words for kinds of parts, and consumables that are ordered.

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
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
