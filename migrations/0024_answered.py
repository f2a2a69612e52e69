"""What follows from a quote that is answered: deposits beside the rest, the rates of tax and the warranty that
were told with a price, and quotes of what was found during the work.

Frozen: never edit after release.
"""

SQL = """
-- a deposit before the part is ordered, the rest at handover, and what is given back
alter table payment add column kind text not null default 'rest' check (kind in ('rest', 'deposit', 'refund'));
alter table payment drop constraint payment_job_id_key;
create index payment_job_id on payment (job_id);
create unique index payment_rest on payment (job_id) where kind = 'rest';
-- which rates of tax a price bears, and the days of warranty that were told with it; none = as before
alter table job add column taxes jsonb not null default '{}' check (jsonb_typeof(taxes) = 'object');
alter table job add column warranty_days integer check (warranty_days between 0 and 3650);
-- what was found during the work and is asked about; empty for a quote of ways
alter table quote add column found text not null default '' check (char_length(found) <= 300);
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
