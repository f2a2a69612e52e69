"""The foundation: people, customers, catalogue, parts, stock ledger, jobs and what happened to them.

Frozen: never edit after release; later changes are new migrations.
"""

SQL = """
create table shop (
    id integer primary key check (id = 1),
    name text not null check (name <> ''),
    address text not null default '',
    timezone text not null,
    currency text not null check (currency ~ '^[A-Z]{3}$'),
    bench_rate_minor integer not null check (bench_rate_minor >= 0),
    markup_bps integer not null check (markup_bps between 0 and 100000),
    tax_bps integer not null check (tax_bps between 0 and 10000),
    version integer not null default 1
);

create table person (
    id bigserial primary key,
    name text not null check (name <> ''),
    login text not null unique check (login ~ '^[a-z][a-z0-9.-]{1,31}$'),
    role text not null check (role in ('manager', 'counter', 'technician')),
    password_hash text not null,
    active boolean not null default true,
    version integer not null default 1,
    created_at timestamptz not null
);

create table skill (
    id bigserial primary key,
    person_id bigint not null references person (id),
    family text not null check (family <> ''),
    factor numeric(4, 2) not null check (factor > 0),
    unique (person_id, family)
);

create table login_session (
    token_hash text primary key,
    person_id bigint not null references person (id),
    csrf text not null,
    created_at timestamptz not null,
    expires_at timestamptz not null
);

create table sign_in_try (
    id bigserial primary key,
    login text not null,
    address text not null,
    ok boolean not null,
    at timestamptz not null
);
create index sign_in_try_login_at on sign_in_try (login, at);
create index sign_in_try_address_at on sign_in_try (address, at);

create table form_key (
    key text primary key,
    person_id bigint not null references person (id),
    result text not null default '',
    at timestamptz not null
);

create table draft (
    id text primary key,
    person_id bigint not null references person (id),
    fields jsonb not null,
    saved_at timestamptz not null,
    version integer not null default 1
);

create table customer (
    id bigserial primary key,
    name text not null check (name <> ''),
    phone text not null default '',
    email text not null default '',
    note text not null default '',
    version integer not null default 1,
    saved_by_id bigint references person (id),
    saved_at timestamptz not null,
    check (phone <> '' or email <> '')
);
create index customer_name on customer (lower(name) text_pattern_ops);

create table model (
    id text primary key,
    maker text not null,
    name text not null,
    device_class text not null,
    procedure_family text not null,
    minutes integer not null check (minutes > 0),
    cure_minutes integer not null check (cure_minutes >= 0),
    data jsonb not null,
    version integer not null default 1
);

create table supplier (
    id text primary key,
    name text not null
);

create table part (
    id bigserial primary key,
    barcode text not null unique,
    name text not null,
    bin text not null default '',
    printed_number text not null default '',
    grade text not null check (grade in ('genuine new', 'genuine pulled', 'refurbished', 'aftermarket')),
    kind text not null,
    attributes jsonb not null,
    box jsonb not null,
    on_hand integer not null default 0,
    held integer not null default 0,
    constraint stock_covers_promises check (held >= 0 and on_hand >= held)
);
create index part_kind on part (kind);

create table offer (
    id bigserial primary key,
    part_id bigint not null references part (id),
    supplier_id text not null references supplier (id),
    number text not null,
    price_minor integer not null check (price_minor > 0),
    lead_days integer not null check (lead_days >= 0),
    version integer not null default 1,
    unique (supplier_id, number)
);
create index offer_part_id on offer (part_id);

create table job (
    id bigserial primary key,
    code text not null unique check (code ~ '^[0-9A-HJKMNP-TV-Z]{2}-[0-9A-HJKMNP-TV-Z]{3}$'),
    customer_id bigint not null references customer (id),
    model_id text not null references model (id),
    stage text not null check (stage in ('identified', 'quoted', 'part_in_hand', 'opened', 'proved', 'closed',
        'handed_back', 'declined', 'returned')),
    read_number text not null,
    identified text not null check (identified in ('sure', 'likely', 'ambiguous')),
    serial text not null default '',
    channel text not null check (channel in ('waiting', 'drop_off', 'mail')),
    complaint text not null default '',
    opened_before boolean not null default false,
    marks jsonb not null,
    promise_at timestamptz not null,
    promise_reason text not null default '',
    received_at timestamptz not null,
    received_by_id bigint not null references person (id),
    offer_id bigint references offer (id),
    fit text not null default '',
    price_minor integer check (price_minor >= 0),
    tax_bps integer check (tax_bps between 0 and 10000),
    currency text not null,
    technician_id bigint references person (id),
    extra_minutes integer not null default 0 check (extra_minutes >= 0),
    expected_minutes integer not null check (expected_minutes > 0),
    attempt integer not null default 1 check (attempt >= 1),
    steps_done integer not null default 0 check (steps_done >= 0),
    steps_total integer not null default 0 check (steps_total >= steps_done),
    cost_minor integer check (cost_minor >= 0),
    bench_minutes integer not null default 0 check (bench_minutes >= 0),
    finished_at timestamptz,
    warranty_end date,
    returned_note text not null default '',
    version integer not null default 1,
    check (stage in ('identified', 'declined', 'returned') or (offer_id is not null and price_minor is not null)),
    check (stage not in ('opened', 'proved', 'closed', 'handed_back') or technician_id is not null),
    check ((stage in ('handed_back', 'returned')) = (finished_at is not null))
);
create index job_open on job (promise_at) where stage not in ('handed_back', 'returned');
create index job_finished_at on job (finished_at);
create index job_serial on job (serial) where serial <> '';
create index job_customer_id on job (customer_id);
create index job_technician_open on job (technician_id) where stage not in ('handed_back', 'returned');

create table function_result (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 0),
    function text not null,
    outcome text not null check (outcome in ('works', 'faulty', 'not_testable')),
    reason text not null default '',
    person_id bigint not null references person (id),
    at timestamptz not null,
    unique (job_id, attempt, function),
    check (outcome = 'works' or reason <> '')
);

create table accessory (
    id bigserial primary key,
    job_id bigint not null references job (id),
    name text not null check (name <> ''),
    kept text not null default '',
    returned_at timestamptz
);
create index accessory_job_id on accessory (job_id);

create table consent (
    id bigserial primary key,
    job_id bigint not null references job (id),
    consent text not null,
    said text not null,
    agreed_at timestamptz not null,
    unique (job_id, consent)
);

create table reservation (
    id bigserial primary key,
    part_id bigint not null references part (id),
    job_id bigint not null references job (id),
    state text not null check (state in ('held', 'fitted', 'released')),
    person_id bigint not null references person (id),
    at timestamptz not null
);
create unique index reservation_one_per_job on reservation (job_id) where state = 'held';
create index reservation_part_held on reservation (part_id) where state = 'held';

create table stock_move (
    id bigserial primary key,
    part_id bigint not null references part (id),
    quantity integer not null check (quantity <> 0),
    kind text not null check (kind in ('receipt', 'fitted', 'count')),
    job_id bigint references job (id),
    unit_cost_minor integer check (unit_cost_minor >= 0),
    note text not null default '',
    person_id bigint not null references person (id),
    at timestamptz not null,
    check (kind <> 'receipt' or quantity > 0),
    check (kind <> 'fitted' or (quantity = -1 and job_id is not null)),
    check (kind <> 'count' or note <> '')
);
create index stock_move_part_id on stock_move (part_id);
create unique index stock_move_fitted_once on stock_move (job_id) where kind = 'fitted';

create table bench_step (
    id bigserial primary key,
    job_id bigint not null references job (id),
    attempt integer not null check (attempt >= 1),
    step text not null,
    expected integer,
    counted integer,
    reason text not null default '',
    person_id bigint not null references person (id),
    at timestamptz not null,
    unique (job_id, attempt, step),
    check ((expected is null) = (counted is null)),
    check (counted is null or counted = expected or reason <> '')
);

create table payment (
    id bigserial primary key,
    job_id bigint not null unique references job (id),
    amount_minor integer not null check (amount_minor > 0),
    currency text not null,
    method text not null check (method in ('cash', 'card', 'transfer')),
    person_id bigint not null references person (id),
    at timestamptz not null
);

create table job_event (
    id bigserial primary key,
    job_id bigint not null references job (id),
    at timestamptz not null,
    person_id bigint not null references person (id),
    kind text not null,
    says text not null,
    stage_before text,
    stage_after text not null,
    detail jsonb not null
);
create index job_event_job_id on job_event (job_id);

create table audit_event (
    id bigserial primary key,
    at timestamptz not null,
    person_id bigint not null references person (id),
    what text not null,
    detail jsonb not null
);

-- What happened is never rewritten: corrections are new entries.
create function refuse_rewrite() returns trigger language plpgsql as $$
begin
    raise exception '%% is append-only: %% refused', tg_table_name, tg_op using errcode = 'restrict_violation';
end $$;
"""

APPEND_ONLY = ("job_event", "stock_move", "function_result", "payment", "audit_event", "bench_step", "consent")

GUARDS = """
-- The same pairs of stages as core/job.py WAYS; a test holds them together.
create function check_job_stage() returns trigger language plpgsql as $$
begin
    if new.stage <> old.stage and (old.stage || '>' || new.stage) not in (
        'identified>quoted', 'quoted>part_in_hand', 'part_in_hand>quoted', 'part_in_hand>opened', 'opened>proved',
        'proved>closed', 'closed>handed_back', 'identified>declined', 'quoted>declined',
        'part_in_hand>declined', 'declined>returned') then
        raise exception 'a job cannot go from %% to %%', old.stage, new.stage using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger job_stage before update on job for each row execute function check_job_stage();

create function check_job_starts() returns trigger language plpgsql as $$
begin
    if new.stage <> 'identified' then
        raise exception 'a job starts as identified, not %%', new.stage using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger job_starts before insert on job for each row execute function check_job_starts();

-- part.on_hand is the sum of the ledger and part.held the number of held reservations, kept by these
-- triggers alone; the check stock_covers_promises on part holds whoever writes.
create function keep_on_hand() returns trigger language plpgsql as $$
begin
    update part set on_hand = on_hand + new.quantity where id = new.part_id;
    return null;
end $$;
create trigger stock_move_level after insert on stock_move for each row execute function keep_on_hand();

create function keep_held() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' or (tg_op = 'UPDATE' and (new.part_id, new.job_id) <> (old.part_id, old.job_id)) then
        raise exception 'a reservation is released, never rewritten' using errcode = 'restrict_violation';
    end if;
    if tg_op = 'UPDATE' and old.state <> 'held' then
        raise exception 'a reservation that is %% stays so', old.state using errcode = 'restrict_violation';
    end if;
    if tg_op = 'INSERT' and new.state = 'held' then
        update part set held = held + 1 where id = new.part_id;
    elsif tg_op = 'UPDATE' and new.state <> 'held' then
        update part set held = held - 1 where id = new.part_id;
    end if;
    return null;
end $$;
create trigger reservation_level after insert or update or delete on reservation
    for each row execute function keep_held();

create function guard_levels() returns trigger language plpgsql as $$
begin
    if pg_trigger_depth() = 1 then
        raise exception 'stock levels change through the ledger only' using errcode = 'restrict_violation';
    end if;
    return new;
end $$;
create trigger part_levels before update of on_hand, held on part for each row execute function guard_levels();
"""


def up(migrator, db):
    db.execute_sql(SQL)
    for table in APPEND_ONLY:
        db.execute_sql(
            f"create trigger {table}_rows before update or delete on {table} "
            "for each row execute function refuse_rewrite()"
        )
        db.execute_sql(
            f"create trigger {table}_all before truncate on {table} "
            "for each statement execute function refuse_rewrite()"
        )
    db.execute_sql(GUARDS)
