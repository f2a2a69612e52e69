"""What goes back to a card goes through the terminal, against its charge and up to what came by it: kept before the
terminal is asked, booked when it says yes.

Frozen: never edit after release.
"""

SQL = """
create table card_refund (
    id bigserial primary key,
    reference text not null unique check (char_length(reference) between 6 and 40),
    card_charge_id bigint not null references card_charge (id),
    job_id bigint not null references job (id),
    amount_minor integer not null check (amount_minor > 0),
    -- of it, what the customer is not asked for any more, and what credit notes are written for
    credit_minor integer not null default 0 check (credit_minor between 0 and amount_minor),
    paper_minor integer not null default 0 check (paper_minor between 0 and amount_minor),
    currency text not null check (currency ~ '^[A-Z]{3}$'),
    reason text not null check (char_length(reason) <= 300),
    state text not null check (state in ('asked', 'unknown', 'approved', 'declined')),
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create index card_refund_job_id on card_refund (job_id, id);
create index card_refund_open on card_refund (at) where state in ('asked', 'unknown');
-- a charge goes back in parts, each booked once
drop index payment_card_charge;
create unique index payment_card_charge on payment (card_charge_id, kind)
    where card_charge_id is not null and kind <> 'refund';
alter table payment add column card_refund_id bigint unique references card_refund (id);
create function check_card_refund() returns trigger language plpgsql as $$
declare
    came integer;
    went bigint;
begin
    if tg_op = 'UPDATE' and ((new.reference, new.card_charge_id, new.job_id, new.amount_minor, new.credit_minor,
        new.paper_minor, new.currency) is distinct from (old.reference, old.card_charge_id, old.job_id,
        old.amount_minor, old.credit_minor, old.paper_minor, old.currency)
        or (old.state <> new.state and (old.state || '>' || new.state) not in (
            'asked>unknown', 'asked>approved', 'asked>declined', 'unknown>approved', 'unknown>declined',
            'declined>approved'))) then
        raise exception 'a refund cannot go from % to %', old.state, new.state using errcode = 'check_violation';
    end if;
    select amount_minor into came from card_charge where id = new.card_charge_id for update;
    select coalesce(sum(amount_minor), 0) into went from card_refund
        where card_charge_id = new.card_charge_id and state <> 'declined' and id <> new.id;
    if new.state <> 'declined' and went + new.amount_minor > came then
        raise exception 'more would go back than came' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger card_refund_state before insert or update on card_refund
    for each row execute function check_card_refund();
create trigger card_refund_rows before delete on card_refund for each row execute function refuse_rewrite();
create trigger card_refund_all before truncate on card_refund for each statement execute function refuse_rewrite();
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
