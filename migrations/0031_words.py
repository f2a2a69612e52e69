"""Quotes go the way of all messages: their secret address is kept only while the message waits; a shop's own words go
by language. A till is counted by its coins and notes.

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
-- how many of each coin and note were counted, by its worth in minor units
alter table till_day add column pieces jsonb not null default '{}' check (jsonb_typeof(pieces) = 'object');
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
