"""The tables of the Shelf, as peewee sees them; and every table there is. Migrations make them."""

from __future__ import annotations

from peewee import (
    BigAutoField,
    BigIntegerField,
    BooleanField,
    DateField,
    DecimalField,
    ForeignKeyField,
    IntegerField,
    TextField,
)
from playhouse.postgres_ext import BinaryJSONField, DateTimeTZField

from sutura.store.tables import CatalogueModel, Job, Part, Person, Supplier, Table


class PurchaseOrder(Table):
    id = BigAutoField()
    supplier = ForeignKeyField(Supplier)
    state = TextField()
    shipping_minor = IntegerField()
    answer = BinaryJSONField(index=False)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    asked_at = DateTimeTZField(null=True)
    sent_at = DateTimeTZField(null=True)
    closed_at = DateTimeTZField(null=True)
    version = IntegerField()


class PurchaseLine(Table):
    id = BigAutoField()
    order = ForeignKeyField(PurchaseOrder, index=False, on_delete="CASCADE")
    part = ForeignKeyField(Part)
    number = TextField()
    quantity = IntegerField()
    price_minor = IntegerField()
    for_jobs = IntegerField()
    expected_on = DateField(null=True)
    short = IntegerField()
    good = IntegerField()
    bad = IntegerField()

    class Meta:
        indexes = ((("order", "part"), True),)


class PurchaseArrival(Table):
    id = BigAutoField()
    line = ForeignKeyField(PurchaseLine)
    outcome = TextField()
    quantity = IntegerField()
    note = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class SupplierReturn(Table):
    id = BigAutoField()
    supplier = ForeignKeyField(Supplier)
    part = ForeignKeyField(Part)
    line = ForeignKeyField(PurchaseLine, null=True, index=False)
    job = ForeignKeyField(Job, null=True, index=False)
    cause = TextField()
    quantity = IntegerField()
    owed_minor = IntegerField()
    state = TextField()
    send_by = DateField(null=True)
    parcel = TextField()
    refunded_minor = IntegerField(null=True)
    note = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    closed_at = DateTimeTZField(null=True)
    version = IntegerField()
    piece_id = BigIntegerField(null=True)


class StockTake(Table):
    id = BigAutoField()
    place = TextField()
    state = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    finished_at = DateTimeTZField(null=True)


class StockTakeCount(Table):
    id = BigAutoField()
    take = ForeignKeyField(StockTake, index=False)
    part = ForeignKeyField(Part)
    counted = IntegerField()
    expected = IntegerField()
    again = BooleanField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("take", "part"), True),)


class StockMove(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part)
    quantity = IntegerField()
    kind = TextField()
    job = ForeignKeyField(Job, null=True, index=False)
    unit_cost_minor = IntegerField(null=True)
    value_minor = BigIntegerField()
    note = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    line = ForeignKeyField(PurchaseLine, null=True, index=False)
    piece_id = BigIntegerField(null=True)


class Piece(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part)
    move = ForeignKeyField(StockMove, null=True, index=False)
    supplier = ForeignKeyField(Supplier, null=True, index=False)
    lot = TextField()
    place = TextField()
    cost_minor = IntegerField()
    state = TextField()
    film = TextField()
    found = TextField()
    found_grade = TextField()
    return_by = DateField(null=True)
    at = DateTimeTZField()
    version = IntegerField()


class PieceEvent(Table):
    id = BigAutoField()
    piece = ForeignKeyField(Piece)
    kind = TextField()
    note = TextField()
    detail = BinaryJSONField(index=False)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class OldScreen(Table):
    id = BigAutoField()
    job = ForeignKeyField(Job, unique=True)
    place = TextField()
    state = TextField()
    buyer = TextField()
    amount_minor = IntegerField(null=True)
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()
    ended_at = DateTimeTZField(null=True)
    version = IntegerField()


class Consumable(Table):
    id = TextField(primary_key=True)
    name = TextField()
    unit = TextField()
    used_for = TextField()
    place = TextField()
    on_hand = DecimalField(max_digits=12, decimal_places=2)
    again_at = DecimalField(max_digits=12, decimal_places=2, null=True)
    supplier = ForeignKeyField(Supplier, null=True)
    holds = DecimalField(max_digits=12, decimal_places=2, null=True)
    price_minor = IntegerField(null=True)
    lead_days = IntegerField()
    ordered = DecimalField(max_digits=12, decimal_places=2)
    expected_on = DateField(null=True)
    doubtful = BooleanField()
    version = IntegerField()


class ConsumableMove(Table):
    id = BigAutoField()
    consumable = ForeignKeyField(Consumable, index=False)
    quantity = DecimalField(max_digits=12, decimal_places=2)
    short = DecimalField(max_digits=12, decimal_places=2)
    kind = TextField()
    job = ForeignKeyField(Job, null=True, index=False)
    note = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()


class PartMoved(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part, index=False)
    from_bin = TextField()
    to_bin = TextField()
    person = ForeignKeyField(Person, index=False)
    at = DateTimeTZField()

    class Meta:
        indexes = ((("part", "id"), False),)


class ModelCame(Table):
    id = BigAutoField()
    model = ForeignKeyField(CatalogueModel, index=False, on_delete="CASCADE")
    week = DateField(index=True)
    jobs = IntegerField()

    class Meta:
        indexes = ((("model", "week"), True),)


class PartUse(Table):
    id = BigAutoField()
    part = ForeignKeyField(Part, index=False)
    week = DateField(index=True)
    uses = IntegerField()

    class Meta:
        indexes = ((("part", "week"), True),)


ALL: tuple[type[Table], ...] = tuple(Table.__subclasses__())
