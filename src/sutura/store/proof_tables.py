"""The tables of the proof; a test proves that they equal what the migrations make."""

from __future__ import annotations

from peewee import BigAutoField, BooleanField, ForeignKeyField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from sutura.store import plan_tables
from sutura.store.tables import Job, Person, Table


class TestLink(Table):
    id = BigAutoField()
    link = TextField(unique=True)
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    device = TextField(null=True)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    expires_at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class DeviceTest(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    link = ForeignKeyField(TestLink, index=False)
    attempt = IntegerField()
    sent_key = TextField()
    kind = TextField()
    function = TextField()
    outcome = TextField()
    measured = BooleanField()
    reasons = BinaryJSONField(index=False)
    found = BinaryJSONField(index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("link", "sent_key"), True), (("job", "id"), False))


class DustLook(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    specks = BinaryJSONField(index=False)
    accepted = TextField(default="")
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class SealedLook(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    look = TextField()
    results = BinaryJSONField(index=False)
    felt = BinaryJSONField(index=False)
    passed = BooleanField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


class ProofOverride(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    names = BinaryJSONField(index=False)
    reason = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "attempt"), True),)


class LetGo(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, unique=True)
    waits = BinaryJSONField(index=False)
    reason = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


# every table of the house
ALL: tuple[type[Table], ...] = (
    *plan_tables.ALL,
    TestLink,
    DeviceTest,
    DustLook,
    SealedLook,
    ProofOverride,
    LetGo,
)
