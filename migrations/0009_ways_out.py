"""Every stage has a way out: another part, back to the bench, closed up unrepaired; a promise that is changed.

Frozen: never edit after release.
"""

ROUND = """
alter table job add column round text not null default 'whole'
    check (round in ('whole', 'rework', 'reopened', 'new_part', 'closing_up'));
update job set round = 'rework' where attempt > 1;
alter table job alter column round drop default;
"""

# The same pairs of stages as core/job.py WAYS; a test holds them together.
STAGES = """
create or replace function check_job_stage() returns trigger language plpgsql as $$
begin
    if new.stage <> old.stage and (old.stage || '>' || new.stage) not in (
        'identified>quoted', 'quoted>part_in_hand', 'part_in_hand>quoted', 'part_in_hand>opened', 'opened>proved',
        'opened>quoted', 'proved>opened', 'closed>opened', 'quoted>opened', 'opened>declined',
        'proved>closed', 'closed>handed_back', 'identified>declined', 'quoted>declined',
        'part_in_hand>declined', 'declined>returned') then
        raise exception 'a job cannot go from %% to %%', old.stage, new.stage using errcode = 'check_violation';
    end if;
    return new;
end $$;
"""

LEDGER = """
alter table stock_move drop constraint stock_move_kind_check;
alter table stock_move add constraint stock_move_kind_check
    check (kind in ('receipt', 'fitted', 'taken_out', 'defective', 'broken', 'count'));
alter table stock_move add constraint stock_move_of_a_job_check check (
    (kind <> 'taken_out' or (quantity = 1 and job_id is not null))
    and (kind not in ('defective', 'broken') or (quantity = -1 and job_id is not null)));

-- a piece is fitted to a job once; taken out again it may be fitted once more
drop index stock_move_fitted_once;
create function check_fitted_once() returns trigger language plpgsql as $$
begin
    if new.kind in ('fitted', 'taken_out') and (
        select coalesce(sum(quantity), 0) + new.quantity from stock_move
        where job_id = new.job_id and part_id = new.part_id and kind in ('fitted', 'taken_out')) not in (-1, 0) then
        raise exception 'a piece is fitted to a job once, and taken out only where it is fitted'
            using errcode = 'unique_violation';
    end if;
    return new;
end $$;
create trigger stock_move_fitted_once before insert on stock_move for each row execute function check_fitted_once();
"""


def up(migrator, db):
    db.execute_sql(ROUND)
    db.execute_sql(STAGES)
    db.execute_sql(LEDGER)
