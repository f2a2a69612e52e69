"""What customers are told: messages that go out once, a status page behind the ticket's code, how somebody wants to
hear and in which language; and who took a device with them.

Frozen: never edit after release.
"""

SQL = """
create table message (
    id bigserial primary key,
    job_id bigint not null references job (id),
    kind text not null check (kind in ('ready', 'reminder', 'delayed', 'question', 'receipt')),
    -- what it is sent for once
    occasion text not null check (char_length(occasion) between 1 and 60),
    way text not null check (way in ('text', 'mail', 'none')),
    receiver text not null check (char_length(receiver) <= 200),
    subject text not null check (char_length(subject) <= 300),
    body text not null check (char_length(body) <= 2000),
    state text not null check (state in ('waiting', 'sent', 'given_up', 'dropped')),
    why text not null default '' check (char_length(why) <= 300),
    tries integer not null default 0 check (tries >= 0),
    due_at timestamptz not null check (due_at >= '2000-01-01 00:00Z' and due_at < '2200-01-02 00:00Z'),
    sent_at timestamptz,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z'),
    unique (job_id, kind, occasion),
    check ((state = 'sent') = (sent_at is not null))
);
create index message_due on message (due_at) where state = 'waiting';
-- a link of one job, which says how far it is and no name; it ends when the job is long over
create table status_link (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    link text not null unique check (char_length(link) between 20 and 64),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
-- who took it: the customer, somebody for them, or a carrier
create table handed_out (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    how text not null check (how in ('customer', 'other', 'post')),
    name text not null default '' check (char_length(name) <= 120),
    signature jsonb not null default '[]' check (jsonb_typeof(signature) = 'array'),
    address text not null default '' check (char_length(address) <= 400),
    carrier text not null default '' check (char_length(carrier) <= 60),
    tracking text not null default '' check (char_length(tracking) <= 60),
    insured_minor integer not null default 0 check (insured_minor >= 0),
    cards boolean not null default false,
    person_id bigint not null references person (id),
    at timestamptz not null check (at >= '2000-01-01 00:00Z' and at < '2200-01-02 00:00Z')
);
create trigger handed_out_rows before update or delete on handed_out
    for each row execute function refuse_rewrite();
create trigger handed_out_all before truncate on handed_out
    for each statement execute function refuse_rewrite();
alter table shop add column telling jsonb not null default '{}' check (jsonb_typeof(telling) = 'object');
alter table customer add column channel text not null default '' check (channel in ('', 'text', 'mail', 'none'));
alter table customer add column language text not null default '' check (char_length(language) <= 10);
"""


def up(migrator, db):
    db.execute_sql(SQL.replace("%", "%%"))
