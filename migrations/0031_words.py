"""Quotes go the way of all messages: their secret address is kept only while the message waits; a shop's own words go
by language. A till is counted by its coins and notes. The days of warranty by grade move from the prices to the terms,
which have versions.

Frozen: never edit after release.
"""

SQL = """
alter table message drop constraint message_kind_check;
alter table message add constraint message_kind_check
    check (kind in ('ready', 'reminder', 'delayed', 'question', 'quote', 'receipt'));
alter table message add column link text not null default '' check (char_length(link) <= 300);
alter table message add constraint message_link_waits check (link = '' or state = 'waiting');
update shop set telling =
    (telling - 'templates') || jsonb_build_object('words', jsonb_build_object('en', telling -> 'templates'))
    where telling ? 'templates';
alter table warranty_terms add column grades jsonb not null default '{}' check (jsonb_typeof(grades) = 'object');
alter table warranty_terms alter column work_days drop not null;
alter table warranty_terms drop constraint warranty_terms_voids_check;
alter table warranty_terms add constraint warranty_terms_voids_check
    check (voids = '' or char_length(voids) between 5 and 600);
insert into warranty_terms (work_days, voids, person_id, at, grades)
    select last.work_days, coalesce(last.voids, ''), boss.id, now(), shop.price_policy -> 'warranty'
    from shop cross join lateral (select id from person where role = 'manager' order by id limit 1) boss
    left join lateral (select work_days, voids from warranty_terms order by id desc limit 1) last on true
    where shop.price_policy -> 'warranty' is not null and shop.price_policy -> 'warranty' <> '{}';
update shop set price_policy = price_policy - 'warranty' where price_policy ? 'warranty';
-- how many of each coin and note were counted, by its worth in minor units
alter table till_day add column pieces jsonb not null default '{}' check (jsonb_typeof(pieces) = 'object');
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
