"""The tables of money and papers; a test proves that they equal what the migrations make."""

from __future__ import annotations

from peewee import BigAutoField, BooleanField, CompositeKey, ForeignKeyField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from sutura.store import bench_tables
from sutura.store.tables import Job, Person, Table


class TillDay(Table):
    id = BigAutoField()
    opened_at = DateTimeTZField()
    opened_by = ForeignKeyField(Person, index=False)
    currency = TextField()
    float_minor = IntegerField()
    closed_at = DateTimeTZField(null=True)
    closed_by = ForeignKeyField(Person, index=False, null=True)
    expected_minor = IntegerField(null=True)
    counted_minor = IntegerField(null=True)
    left_minor = IntegerField(null=True)
    note = TextField(default="")
    pieces = BinaryJSONField(default=dict, index=False)


class CardCharge(Table):
    id = BigAutoField()
    reference = TextField(unique=True)
    job = ForeignKeyField(Job, index=False)
    amount_minor = IntegerField()
    currency = TextField()
    kind = TextField()
    state = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class CardRefund(Table):
    """What was asked to go back to a card, against its charge."""

    id = BigAutoField()
    reference = TextField(unique=True)
    card_charge = ForeignKeyField(CardCharge, index=False)
    job = ForeignKeyField(Job, index=False)
    amount_minor = IntegerField()
    credit_minor = IntegerField()
    paper_minor = IntegerField()
    currency = TextField()
    reason = TextField()
    state = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        table_name = "card_refund"


class Payment(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job)
    amount_minor = IntegerField()
    currency = TextField()
    method = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    kind = TextField()
    reason = TextField(default="")
    till_day = ForeignKeyField(TillDay, index=False, null=True)
    card_charge = ForeignKeyField(CardCharge, index=False, null=True)
    card_refund = ForeignKeyField(CardRefund, unique=True, null=True)


class InvoiceSeries(Table):
    series = TextField()
    year = IntegerField()
    last = IntegerField()

    class Meta:
        primary_key = CompositeKey("series", "year")


class Invoice(Table):
    id = BigAutoField()
    series = TextField()
    year = IntegerField()
    number = IntegerField()
    job = ForeignKeyField(Job, index=False)
    kind = TextField()
    body = BinaryJSONField(index=False)
    gross_minor = IntegerField()
    corrects = ForeignKeyField("self", index=False, null=True)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("series", "year", "number"), True), (("job", "id"), False))


class Comeback(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, unique=True)
    of_job = ForeignKeyField(Job)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class ComebackCause(Table):
    id = BigAutoField()
    job = ForeignKeyField(Comeback, field="job", index=False)
    cause = TextField()
    payer = TextField()
    price = TextField()
    evidence = BinaryJSONField(index=False)
    reason = TextField(default="")
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class WarrantyTerms(Table):
    id = BigAutoField()
    grades = BinaryJSONField(default=dict, index=False)
    work_days = IntegerField(null=True)
    voids = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class MessageOut(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    kind = TextField()
    occasion = TextField()
    way = TextField()
    receiver = TextField()
    subject = TextField()
    body = TextField()
    link = TextField(default="")
    state = TextField()
    why = TextField(default="")
    tries = IntegerField(default=0)
    due_at = DateTimeTZField()
    sent_at = DateTimeTZField(null=True)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        table_name = "message"
        indexes = ((("job", "kind", "occasion"), True),)


class StatusLink(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, unique=True)
    link = TextField(unique=True)
    at = DateTimeTZField()


class HandedOut(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, unique=True)
    how = TextField()
    name = TextField(default="")
    signature = BinaryJSONField(index=False)
    address = TextField(default="")
    carrier = TextField(default="")
    tracking = TextField(default="")
    insured_minor = IntegerField(default=0)
    cards = BooleanField(default=False)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


# every table of the house
ALL: tuple[type[Table], ...] = (
    *bench_tables.ALL,
    TillDay,
    CardCharge,
    Payment,
    InvoiceSeries,
    Invoice,
    Comeback,
    ComebackCause,
    WarrantyTerms,
    MessageOut,
    StatusLink,
    HandedOut,
)
