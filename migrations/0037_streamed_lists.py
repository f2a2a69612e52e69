"""A price list lies in pieces: it is kept as it comes and read a piece at a time, however long it is. What is to be read
first is looked at in the background; why it could not be is a fact, said in the reader's words.

Frozen: never edit after release.
"""

SQL = """
create table price_list_piece (
    list_id bigint not null references price_list (id) on delete cascade,
    place integer not null check (place >= 0),
    piece bytea not null check (length(piece) > 0),
    primary key (list_id, place)
);
-- what is there already may be written in any way: it is read as it came once more
insert into price_list_piece (list_id, place, piece)
    select id, 0, file from price_list where length(file) > 0;
alter table price_list
    drop column file,
    add column encoding text not null default '' check (char_length(encoding) <= 40),
    drop constraint price_list_says_check,
    alter column says drop default,
    alter column says type jsonb using to_jsonb(says),
    alter column says set default '""',
    add constraint price_list_says_check check (length(says::text) <= 8000),
    drop constraint price_list_state_check,
    add constraint price_list_state_check
        check (state in ('sent', 'new', 'checking', 'checked', 'reading', 'read', 'failed'));
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
