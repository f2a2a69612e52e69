"""The chosen route is a value of the job; what happened is kept as its kind and its facts; kinds are stable ids.

Frozen: never edit after release. Sentences that older versions kept with what happened stay as they are.
"""

# what older versions wrote, and the id that stands for it now
MARKS = {
    "missing glass": "missing_glass",
    "dead touch": "dead_touch",
    "pixel fault": "pixel_fault",
    "edge gap": "edge_gap",
    "missing screw": "missing_screw",
    "liquid indicator": "liquid_indicator",
}
FITS = {
    "fits with a bridge": "bridged",
    "fits with consent": "consent",
    "does not fit": "not",
}
LEARNED = {
    "fitted and proved": "proved",
    "did not fit": "did_not_fit",
    "was defective": "defective",
}
KINDS = (
    "looked at again",
    "customer merged",
    "panel read",
    "original measured",
    "part reported",
    "part held",
    "part given back",
    "proof failed",
    "handed back",
)

ROUTE = """
alter table job
    add column route text not null default '',
    add column route_minutes integer not null default 0 check (route_minutes between 0 and 2000);

-- The route of a chosen part is the one that needs its kind; of a kit it is the model's own.
update job set route = case
        when job.offer_id is null then ''
        when job.more_offers <> '[]' then model.data #>> '{need,kind}'
        else coalesce((select part.kind from offer join part on part.id = offer.part_id where offer.id = job.offer_id), '')
    end,
    route_minutes = model.minutes
from model where model.id = job.model_id;
update job set route_minutes = (way ->> 'minutes')::integer
from model, jsonb_array_elements(coalesce(model.data -> 'routes', '[]')) way
where model.id = job.model_id and job.more_offers = '[]' and way #>> '{need,kind}' = job.route;
-- Assigning had put the minutes of the model's own route in place of the chosen one's.
update job set expected_minutes = round(route_minutes * coalesce(
        (select factor from skill join model on model.procedure_family = skill.family
         where skill.person_id = job.technician_id and model.id = job.model_id), 1)) + extra_minutes
where stage not in ('handed_back', 'returned') and technician_id is not null;
alter table job alter column route drop default, alter column route_minutes drop default;
alter table job alter column route_minutes set not null;
"""

LEARNED_IDS = """
alter table fit_evidence drop constraint fit_evidence_outcome_check;
alter table fit_evidence disable trigger user;
update fit_evidence set outcome = case outcome
    when 'fitted and proved' then 'proved' when 'did not fit' then 'did_not_fit' else 'defective' end;
alter table fit_evidence enable trigger user;
alter table fit_evidence add constraint fit_evidence_outcome_check
    check (outcome in ('proved', 'did_not_fit', 'defective'));
create or replace function count_supplier() returns trigger language plpgsql as $$
begin
    if new.outcome <> 'did_not_fit' then
        update supplier set tried = tried + 1, bad = bad + (new.outcome = 'defective')::int
        where id = (select supplier_id from offer where id = new.offer_id);
    end if;
    return null;
end $$;
"""


def up(migrator, db):
    db.execute_sql(ROUTE)
    db.execute_sql(LEARNED_IDS)
    for old, new in FITS.items():
        db.execute_sql("update job set fit = %s where fit = %s", (new, old))
    db.execute_sql("alter table job_event disable trigger user")
    for old in KINDS:
        db.execute_sql(
            "update job_event set kind = %s where kind = %s", (old.replace(" ", "_"), old)
        )
    db.execute_sql("alter table job_event enable trigger user")
    for old, new in MARKS.items():
        db.execute_sql(
            "update job set marks = replace(marks::text, %s, %s)::jsonb where marks::text like %s",
            (f'"kind": "{old}"', f'"kind": "{new}"', f'%"{old}"%'),
        )
        # a draft keeps its drawing as the text of the form
        db.execute_sql(
            "update draft set fields = replace(fields::text, %s, %s)::jsonb where fields::text like %s",
            (f'\\"{old}\\"', f'\\"{new}\\"', f"%{old}%"),
        )
