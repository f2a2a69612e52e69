"""The tables of planning; a test proves that they equal what the migrations make."""

from __future__ import annotations

from peewee import BigAutoField, CompositeKey, ForeignKeyField, IntegerField, TextField
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from sutura.store import stock_tables
from sutura.store.tables import Job, Person, Table


class Absence(Table):
    id = BigAutoField()
    person = ForeignKeyField(Person, index=False)
    from_at = DateTimeTZField()
    until_at = DateTimeTZField()
    why = TextField()
    by = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("person", "until_at"), False),)


class Shift(Table):
    person = ForeignKeyField(Person, index=False)
    weekday = IntegerField()
    begins = IntegerField()
    ends = IntegerField()
    break_from = IntegerField(null=True)
    break_until = IntegerField(null=True)

    class Meta:
        primary_key = CompositeKey("person", "weekday")


class PlanPin(Table):
    job = ForeignKeyField(Job, primary_key=True)
    person = ForeignKeyField(Person, null=True, index=False)
    start_at = DateTimeTZField(null=True)
    by = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class CalendarLink(Table):
    person = ForeignKeyField(Person, primary_key=True)
    link = TextField(unique=True)
    at = DateTimeTZField()


class DayPlan(Table):
    id = IntegerField(primary_key=True)
    made_at = DateTimeTZField()
    start_at = DateTimeTZField()
    seen = TextField()
    plan = BinaryJSONField(index=False)


# every table of the house
class PlanTurn(Table):
    id = IntegerField(primary_key=True)
    until = DateTimeTZField()


ALL: tuple[type[Table], ...] = (*stock_tables.ALL, Absence, Shift, PlanPin, CalendarLink, DayPlan, PlanTurn)
