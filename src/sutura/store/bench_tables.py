"""The tables of what binds at the bench; a test proves that they equal what the migrations make."""

from __future__ import annotations

from peewee import BigAutoField, ForeignKeyField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from sutura.store import proof_tables
from sutura.store.stock_tables import Piece
from sutura.store.tables import Job, Person, Table


class DisplaySerial(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    outcome = TextField()
    serial = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    piece = ForeignKeyField(Piece, null=True, index=False)

    class Meta:
        indexes = ((("job", "id"), False),)


class BenchWait(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    minutes = IntegerField()
    started_at = DateTimeTZField()
    started_by = ForeignKeyField(Person, index=False, backref="waits_started")
    ended_at = DateTimeTZField(null=True)
    ended_by = ForeignKeyField(Person, null=True, index=False, backref="waits_ended")
    early = TextField()

    class Meta:
        indexes = ((("job", "id"), False),)


class HeatSource(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    what = TextField()
    on_at = DateTimeTZField()
    on_by = ForeignKeyField(Person, index=False, backref="heat_switched_on")
    off_at = DateTimeTZField(null=True)
    off_by = ForeignKeyField(Person, null=True, index=False, backref="heat_switched_off")

    class Meta:
        indexes = ((("job", "id"), False),)


class LimitPassed(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, index=False)
    attempt = IntegerField()
    step = TextField()
    what = TextField()
    said = BinaryJSONField(index=False)
    reason = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("job", "id"), False),)


ALL: tuple[type[Table], ...] = (*proof_tables.ALL, DisplaySerial, BenchWait, HeatSource, LimitPassed)
