"""What is asked of a supplier's desk and of the display programmer is kept before it is asked: whoever is cut off in
the middle finds it again, and asks once more. One worker plans at a time, however many there are.

Frozen: never edit after release.
"""

SQL = """
alter table purchase_order
    add column asked_at timestamptz check (asked_at >= '2000-01-01 00:00Z' and asked_at < '2200-01-02 00:00Z'),
    drop constraint purchase_order_state_check,
    add constraint purchase_order_state_check
        check (state in ('draft', 'asked', 'sent', 'closed', 'cancelled')),
    add constraint purchase_order_asked check (state <> 'asked' or asked_at is not null);
create or replace function check_order_state() returns trigger language plpgsql as $$
begin
    if new.state <> old.state and (old.state || '>' || new.state) not in (
        'draft>asked', 'asked>draft', 'asked>sent', 'draft>cancelled', 'sent>closed') then
        raise exception 'an order cannot go from % to %', old.state, new.state using errcode = 'check_violation';
    end if;
    return new;
end $$;
create table plan_turn (
    id integer primary key check (id = 1),
    until timestamptz not null check (until >= '2000-01-01 00:00Z' and until < '2200-01-02 00:00Z')
);
alter table display_serial
    drop constraint display_serial_outcome_check,
    drop constraint display_serial_check,
    add constraint display_serial_outcome_check check (
        outcome in ('read', 'written', 'silent', 'other_model', 'not_kept', 'broke_off', 'asked')),
    add constraint display_serial_check check (outcome not in ('read', 'written', 'asked') or serial <> '');
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
