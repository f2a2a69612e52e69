"""Counter: the shop's own suction cups, photos of a mark, a baseline looked at again before the device is opened.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
alter table shop add column cups_mm integer[] not null default '{20,30,40,55}'
    check (cardinality(cups_mm) between 1 and 8 and 10 <= all (cups_mm) and 120 >= all (cups_mm));

alter table photo add column mark text not null default '';

alter table function_result
    add column again integer not null default 0 check (again >= 0),
    add constraint function_result_again_is_baseline check (again = 0 or attempt = 0),
    drop constraint function_result_job_id_attempt_function_key,
    add constraint function_result_job_id_attempt_function_again_key unique (job_id, attempt, function, again);

create function baseline_only_before_opening() returns trigger language plpgsql as $$
begin
    if new.again > 0 and (select stage from job where id = new.job_id) not in ('identified', 'quoted', 'part_in_hand') then
        raise exception 'the baseline of a device that was opened cannot be looked at again' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger function_result_again before insert on function_result for each row execute function baseline_only_before_opening();
"""


def up(migrator, db):
    db.execute_sql(SQL)
