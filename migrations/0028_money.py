"""A ledger of each job: payments in parts, by card through a terminal, in cash with a till's day, and what is
credited, written off, rounded or kept; papers with numbers that have no gap.

Frozen: never edit after release.
"""

SQL = """
-- one row from the opening of the till to its closing; cash always belongs to the one that is open
create table till_day (
    id bigserial primary key,
    opened_at timestamptz not null check (opened_at >= '2000-01-01 00:00Z' and opened_at < '2200-01-02 00:00Z'),
    opened_by_id bigint not null references person (id),
    currency text not null check (currency ~ '^[A-Z]{3}$'),
    float_minor integer not null check (float_minor >= 0),
    closed_at timestamptz,
    closed_by_id bigint references person (id),
    expected_minor integer,
    counted_minor integer check (counted_minor >= 0),
    left_minor integer check (left_minor between 0 and counted_minor),
    note text not null default '' check (char_length(note) <= 300),
    check ((closed_at is null) = (closed_by_id is null) and (closed_at is null) = (expected_minor is null)
        and (closed_at is null) = (counted_minor is null) and (closed_at is null) = (left_minor is null)),
    check (closed_at is null or closed_at >= opened_at),
    check (counted_minor is null or counted_minor = expected_minor or char_length(note) >= 5)
);
create unique index till_day_open on till_day ((1)) where closed_at is null;
create function refuse_closed_till() returns trigger language plpgsql as $$
begin
    if old.closed_at is not null then
        raise exception 'a till that was closed stays as it was counted' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger till_day_closed before update on till_day for each row execute function refuse_closed_till();
create trigger till_day_rows before delete on till_day for each row execute function refuse_rewrite();

-- what was asked of the card terminal; nobody knows what came of one that is asked or unknown
create table card_charge (
    id bigserial primary key,
    reference text not null unique check (char_length(reference) between 6 and 40),
    job_id bigint not null references job (id),
    amount_minor integer not null check (amount_minor > 0),
    currency text not null check (currency ~ '^[A-Z]{3}$'),
    kind text not null check (kind in ('rest', 'deposit')),
    state text not null check (state in ('asked', 'unknown', 'approved', 'declined', 'reversed')),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
-- one at a time: the next only when it is known what came of the last
create unique index card_charge_open on card_charge (job_id) where state in ('asked', 'unknown');
create index card_charge_job_id on card_charge (job_id, id);
create function check_card_state() returns trigger language plpgsql as $$
begin
    if (new.reference, new.job_id, new.amount_minor, new.currency) is distinct from
       (old.reference, old.job_id, old.amount_minor, old.currency)
       or (old.state <> new.state and (old.state || '>' || new.state) not in (
        'asked>unknown', 'asked>approved', 'asked>declined', 'unknown>approved', 'unknown>declined',
        'approved>reversed', 'declined>approved')) then
        raise exception 'a charge cannot go from %% to %%', old.state, new.state using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger card_charge_state before update on card_charge for each row execute function check_card_state();
create trigger card_charge_rows before delete on card_charge for each row execute function refuse_rewrite();

-- several payments of one job, and what is owed less without one
drop index payment_rest;
alter table payment drop constraint payment_kind_check;
alter table payment drop constraint payment_amount_minor_check;
alter table payment drop constraint payment_method_check;
alter table payment add constraint payment_kind_check check (
    kind in ('rest', 'deposit', 'refund', 'written_off', 'credit', 'rounding', 'kept'));
alter table payment add constraint payment_amount_minor_check check (
    amount_minor > 0 or (kind = 'rounding' and amount_minor <> 0));
alter table payment add constraint payment_method_check check (
    (kind in ('rest', 'deposit', 'refund') and method in ('cash', 'card', 'transfer'))
    or (kind not in ('rest', 'deposit', 'refund') and method = ''));
alter table payment add column reason text not null default '' check (char_length(reason) <= 300);
alter table payment add column till_day_id bigint references till_day (id);
alter table payment add column card_charge_id bigint references card_charge (id);
alter table payment add constraint payment_reason_given check (
    kind not in ('written_off', 'credit') or char_length(reason) >= 5);
-- what was kept of jobs that went back unrepaired before there was a row for it
insert into payment (job_id, amount_minor, currency, method, person_id, at, kind, reason)
select payment.job_id, sum(case when kind = 'refund' then -amount_minor else amount_minor end), max(payment.currency),
    '', max(payment.person_id), max(payment.at), 'kept', 'kept when it was returned'
from payment join job on job.id = payment.job_id where job.stage = 'returned' group by payment.job_id
having sum(case when kind = 'refund' then -amount_minor else amount_minor end) > 0;
create index payment_till_day_id on payment (till_day_id) where till_day_id is not null;
-- one charge is paid once and goes back once
create unique index payment_card_charge on payment (card_charge_id, kind) where card_charge_id is not null;

-- rows of numbers: the last one given out, locked while the next paper is written
create table invoice_series (
    series text not null check (series in ('', 'C')),
    year integer not null check (year between 2000 and 2199),
    last integer not null check (last >= 0),
    primary key (series, year)
);
create table invoice (
    id bigserial primary key,
    series text not null,
    year integer not null,
    number integer not null check (number > 0),
    job_id bigint not null references job (id),
    kind text not null check (kind in ('invoice', 'deposit_invoice', 'credit_note')),
    body jsonb not null check (jsonb_typeof(body) = 'object'),
    gross_minor integer not null,
    corrects_id bigint references invoice (id),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (series, year, number),
    check ((kind = 'credit_note') = (series = 'C')),
    check (kind = 'credit_note' or corrects_id is null)
);
create index invoice_job_id on invoice (job_id, id);
-- a number follows the one before it
create function check_invoice_number() returns trigger language plpgsql as $$
begin
    if new.number <> 1 + coalesce((
        select max(number) from invoice where series = new.series and year = new.year), 0) then
        raise exception 'paper %% of %% leaves a gap', new.number, new.year using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger invoice_number before insert on invoice for each row execute function check_invoice_number();
create trigger invoice_all before truncate on invoice for each statement execute function refuse_rewrite();
-- who bought is erased where a customer is; nothing else of a paper changes
create function refuse_changed_invoice() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' or (old.series, old.year, old.number, old.job_id, old.kind, old.gross_minor,
        old.body - 'buyer') is distinct from (new.series, new.year, new.number, new.job_id, new.kind,
        new.gross_minor, new.body - 'buyer') then
        raise exception '%% is append-only: %% refused', tg_table_name, tg_op using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger invoice_rows before update or delete on invoice
    for each row execute function refuse_changed_invoice();
-- who the shop is on paper, its smallest coin, whether prices hold their tax
alter table shop add column invoicing jsonb not null default '{}' check (jsonb_typeof(invoicing) = 'object');
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%%", "%").replace("%", "%%"))
