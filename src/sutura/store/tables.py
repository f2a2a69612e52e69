"""The tables as peewee models. A test proves that they equal what the migrations make."""

from __future__ import annotations

from peewee import (
    BigAutoField,
    BigIntegerField,
    BlobField,
    BooleanField,
    CompositeKey,
    DateField,
    DecimalField,
    DoubleField,
    ForeignKeyField,
    IntegerField,
    Model,
    TextField,
)
from playhouse.postgres_ext import ArrayField, BinaryJSONField, DateTimeTZField

from sutura.store.database import DATABASE


class Table(Model):
    class Meta:
        database = DATABASE
        legacy_table_names = False


class Shop(Table):
    id = IntegerField(primary_key=True)
    name = TextField()
    address = TextField()
    timezone = TextField()
    currency = TextField()
    bench_rate_minor = IntegerField()
    markup_bps = IntegerField()
    tax_bps = IntegerField()
    version = IntegerField()
    cups_mm = ArrayField(IntegerField, index=False)
    weights = BinaryJSONField(index=False)
    hours = BinaryJSONField(index=False)
    stamp = TextField()
    room_c = DecimalField(max_digits=4, decimal_places=1)
    price_policy = BinaryJSONField(index=False)
    stations = BinaryJSONField(index=False)
    planning = BinaryJSONField(index=False)
    second_look = TextField()
    invoicing = BinaryJSONField(index=False)
    telling = BinaryJSONField(index=False)
    fill_percent = IntegerField()
    order_cost_minor = IntegerField()
    keeping_percent = IntegerField()
    ageing_percent = IntegerField()
    pieces_from_minor = IntegerField()


class Person(Table):
    id = BigAutoField()
    name = TextField()
    login = TextField(unique=True)
    role = TextField()
    password_hash = TextField()
    active = BooleanField()
    version = IntegerField()
    created_at = DateTimeTZField()
    # the ways this person goes wherever a model allows them
    habits = BinaryJSONField(index=False)


class Skill(Table):
    id = BigAutoField()
    person = ForeignKeyField(Person, index=False)
    family = TextField()
    factor = DecimalField(max_digits=4, decimal_places=2)

    class Meta:
        indexes = ((("person", "family"), True),)


class OwnTime(Table):
    person = ForeignKeyField(Person, index=False)
    family = TextField()
    jobs = IntegerField()
    weight = DoubleField()
    logs = DoubleField()
    numbers = DoubleField(default=0)
    squares = DoubleField(default=0)
    products = DoubleField(default=0)
    reworked = IntegerField(default=0)
    rework_minutes = IntegerField(default=0)

    class Meta:
        primary_key = CompositeKey("person", "family")


class LoginSession(Table):
    token_hash = TextField(primary_key=True)
    person = ForeignKeyField(Person, index=False)
    csrf = TextField()
    created_at = DateTimeTZField()
    expires_at = DateTimeTZField()


class LinkTry(Table):
    """Somebody asked for a link that nobody made."""

    id = BigAutoField()
    address = TextField()
    at = DateTimeTZField()

    class Meta:
        table_name = "link_try"
        indexes = ((("address", "at"), False),)


class SignInTry(Table):
    id = BigAutoField()
    login = TextField()
    address = TextField()
    ok = BooleanField()
    at = DateTimeTZField()

    class Meta:
        indexes = ((("login", "at"), False), (("address", "at"), False))


class FormKey(Table):
    key = TextField(primary_key=True)
    person = ForeignKeyField(Person, index=False)
    result = TextField()
    at = DateTimeTZField()
    content = TextField()


class Draft(Table):
    id = TextField(primary_key=True)
    person = ForeignKeyField(Person, index=False)
    fields = BinaryJSONField(index=False)
    saved_at = DateTimeTZField()
    version = IntegerField()


class Customer(Table):
    id = BigAutoField()
    name = TextField()
    phone = TextField()
    email = TextField()
    note = TextField()
    version = IntegerField()
    saved_by = ForeignKeyField(Person, null=True, index=False)
    saved_at = DateTimeTZField()
    phone_plain = TextField()
    merged_into = ForeignKeyField("self", null=True, index=False)
    erased_at = DateTimeTZField(null=True)
    channel = TextField(default="")
    language = TextField(default="")


class CatalogueModel(Table):
    id = TextField(primary_key=True)
    maker = TextField()
    name = TextField()
    device_class = TextField()
    procedure_family = TextField()
    minutes = IntegerField()
    cure_minutes = IntegerField()
    data = BinaryJSONField(index=False)
    version = IntegerField()
    part_family = TextField()
    released = IntegerField()
    construction = TextField()
    pack = TextField(index=True)
    state = TextField()
    edited_by = ForeignKeyField(Person, null=True, index=False)
    edited_at = DateTimeTZField(null=True)

    class Meta:
        table_name = "model"
        indexes = ((("maker", "name"), False),)


class ModelNumber(Table):
    id = BigAutoField()
    model = ForeignKeyField(CatalogueModel, on_delete="CASCADE")
    kind = TextField()
    text = TextField()
    plain = TextField()
    rest = TextField()


class CatalogueState(Table):
    id = IntegerField(primary_key=True)
    revision = BigIntegerField()


class Pack(Table):
    id = TextField(primary_key=True)
    kind = TextField()
    head = BinaryJSONField(index=False)
    read_at = DateTimeTZField(null=True)


class PackPreview(Table):
    id = TextField(primary_key=True)
    person = ForeignKeyField(Person, index=False)
    name = TextField()
    text = TextField()
    at = DateTimeTZField()


class Supplier(Table):
    id = TextField(primary_key=True)
    name = TextField()
    shipping_minor = IntegerField()
    kind_words = BinaryJSONField(index=False)
    mapping = BinaryJSONField(index=False)
    tried = IntegerField()
    bad = IntegerField()
    return_days = IntegerField()
    least_order_minor = IntegerField()
    free_from_minor = IntegerField(null=True)
    takes = TextField()


class Part(Table):
    id = BigAutoField()
    barcode = TextField(unique=True)
    name = TextField()
    bin = TextField()
    printed_number = TextField()
    grade = TextField()
    kind = TextField()
    attributes = BinaryJSONField(index=False)
    box = BinaryJSONField(index=False)
    on_hand = IntegerField()
    held = IntegerField()
    value_minor = BigIntegerField()
    by_piece = BooleanField()
    pack = TextField()
    gtin = TextField()
    measured = BinaryJSONField(index=False)
    family = TextField(null=True)
    width_mm = DecimalField(null=True)
    active_mm = DecimalField(null=True)
    pins = DecimalField(null=True)

    class Meta:
        indexes = ((("kind", "width_mm", "family"), False), (("kind", "active_mm"), False))


class Offer(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part)
    supplier = ForeignKeyField(Supplier, index=False)
    number = TextField()
    price_minor = IntegerField()
    lead_days = IntegerField()
    version = IntegerField()
    minimum = IntegerField()
    pack = IntegerField()
    price_breaks = BinaryJSONField(index=False)
    stock_there = IntegerField(null=True)
    guarantee_days = IntegerField(null=True)
    returns = TextField()
    seen_at = DateTimeTZField(null=True)

    class Meta:
        indexes = ((("supplier", "number"), True), (("part", "price_minor"), False))


class OfferPrice(Table):
    id = BigAutoField()
    offer = ForeignKeyField(Offer, index=False, on_delete="CASCADE")
    price_minor = IntegerField()
    at = DateTimeTZField()
    person = ForeignKeyField(Person, null=True, index=False)

    class Meta:
        indexes = ((("offer", "id"), False),)


class Job(Table):
    id = BigAutoField()
    code = TextField(unique=True)
    customer = ForeignKeyField(Customer)
    model = ForeignKeyField(CatalogueModel)
    stage = TextField()
    read_number = TextField()
    identified = TextField()
    serial = TextField()
    channel = TextField()
    complaint = TextField()
    opened_before = BooleanField()
    marks = BinaryJSONField(index=False)
    functions = BinaryJSONField(index=False)
    promise_at = DateTimeTZField()
    promise_reason = TextField()
    received_at = DateTimeTZField()
    received_by = ForeignKeyField(Person, index=False)
    offer = ForeignKeyField(Offer, null=True, index=False)
    fit = TextField()
    price_minor = IntegerField(null=True)
    tax_bps = IntegerField(null=True)
    taxes = BinaryJSONField(index=False)
    warranty_days = IntegerField(null=True)
    rush = BooleanField()
    part_minor = IntegerField(null=True)
    currency = TextField()
    technician = ForeignKeyField(Person, null=True, index=False)
    extra_minutes = IntegerField()
    expected_minutes = IntegerField()
    attempt = IntegerField()
    round = TextField()
    steps_done = IntegerField()
    steps_total = IntegerField()
    waits_until = DateTimeTZField(null=True)
    cost_minor = IntegerField(null=True)
    bench_minutes = IntegerField()
    finished_at = DateTimeTZField(null=True, index=True)
    warranty_end = DateField(null=True)
    returned_note = TextField()
    version = IntegerField()
    look = BinaryJSONField(index=False)
    arrival = BinaryJSONField(index=False)
    measured = BinaryJSONField(index=False)
    destroyed = BinaryJSONField(index=False)
    more_offers = BinaryJSONField(index=False)
    route = TextField()
    route_minutes = IntegerField()
    # the ways chosen for this job, and its cure where its seal is not the model's own
    schools = BinaryJSONField(index=False)
    cure_minutes = IntegerField(null=True)


class FunctionResult(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    function = TextField()
    outcome = TextField()
    reason = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    again = IntegerField()

    class Meta:
        indexes = ((("job", "attempt", "function", "again"), True),)


class Accessory(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job)
    name = TextField()
    kept = TextField()
    returned_at = DateTimeTZField(null=True)


class Consent(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    consent = TextField()
    said = TextField()
    agreed_at = DateTimeTZField()
    version = IntegerField()

    class Meta:
        indexes = ((("job", "consent"), True),)


class ConsentText(Table):
    id = BigAutoField()
    consent = TextField()
    version = IntegerField()
    text = TextField()
    needed = BooleanField()
    active = BooleanField()
    applies = TextField()
    person = ForeignKeyField(Person, null=True, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("consent", "version"), True),)


class Reservation(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part, index=False)
    job = ForeignKeyField(Job, index=False)
    piece_id = BigIntegerField(null=True)
    state = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class ModelVersion(Table):
    """A model as it was when a job was opened by it."""

    model = ForeignKeyField(CatalogueModel, index=False)
    version = IntegerField()
    data = BinaryJSONField(index=False)

    class Meta:
        table_name = "model_version"
        primary_key = CompositeKey("model", "version")


class JobSheet(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    model_version = IntegerField()
    steps = BinaryJSONField(index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class HeatReading(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    edge = TextField()
    surface = TextField()
    read_c = DecimalField(max_digits=5, decimal_places=1)
    true_c = DecimalField(max_digits=5, decimal_places=1)
    source = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class RouteTry(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    route = TextField()
    model = ForeignKeyField(CatalogueModel, index=False)
    technician = ForeignKeyField(Person, null=True, index=False)
    succeeded = BooleanField()
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "attempt"), True), (("model", "route"), False))


class Quote(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    version = IntegerField()
    link = TextField(unique=True)
    routes = BinaryJSONField(index=False)
    conditions = BinaryJSONField(index=False)
    currency = TextField()
    state = TextField()
    answer = TextField()
    answered_at = DateTimeTZField(null=True)
    answered_by = TextField()
    valid_until = DateTimeTZField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    found = TextField()

    class Meta:
        indexes = ((("job", "version"), True),)


class BenchNote(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    says = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class BenchScrew(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    place = IntegerField()
    done = BooleanField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "attempt", "id"), False),)


class BenchStep(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    expected = IntegerField(null=True)
    counted = IntegerField(null=True)
    reason = TextField()
    person = ForeignKeyField(Person, index=False)
    supervisor = ForeignKeyField(Person, null=True, index=False, backref="supervised")
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "attempt", "step"), True),)


class JobEvent(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job)
    at = DateTimeTZField()
    person = ForeignKeyField(Person, index=False)
    kind = TextField()
    says = TextField()
    stage_before = TextField(null=True)
    stage_after = TextField()
    detail = BinaryJSONField(index=False)


class AuditEvent(Table):
    id = BigAutoField()
    at = DateTimeTZField(index=True)
    person = ForeignKeyField(Person, null=True, index=False)
    what = TextField()
    detail = BinaryJSONField(index=False)
    address = TextField()


class FitEvidence(Table):
    id = BigAutoField()
    model = ForeignKeyField(CatalogueModel, index=False)
    part = ForeignKeyField(Part, index=False)
    offer = ForeignKeyField(Offer, null=True, on_delete="SET NULL")
    job = ForeignKeyField(Job, null=True, index=False)
    outcome = TextField()
    says = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("model", "part", "outcome", "id"), False),)


class PriceList(Table):
    id = BigAutoField()
    supplier = ForeignKeyField(Supplier)
    name = TextField()
    encoding = TextField()
    mapping = BinaryJSONField(index=False)
    state = TextField()
    rows_total = IntegerField()
    rows_done = IntegerField()
    counts = BinaryJSONField(index=False)
    words = BinaryJSONField(index=False)
    bad = BinaryJSONField(index=False)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    finished_at = DateTimeTZField(null=True)
    turn = IntegerField()
    tries = IntegerField()
    says = BinaryJSONField(index=False)


class PriceListPiece(Table):
    list = ForeignKeyField(PriceList, on_delete="CASCADE", index=False)
    place = IntegerField()
    piece = BlobField()

    class Meta:
        primary_key = CompositeKey("list", "place")


class Photo(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, null=True)
    draft_id = TextField(null=True, index=True)
    piece_id = BigIntegerField(null=True, index=True)
    note_id = BigIntegerField(null=True)
    says = TextField()
    width = IntegerField()
    height = IntegerField()
    image = BlobField()
    thumb = BlobField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    mark = TextField()
