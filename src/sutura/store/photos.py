"""Photographs of an intake: of a draft first, of the job it becomes after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from peewee import Select

from sutura.core.intake.arrival import Photo
from sutura.store.database import each, grouped, reading, written
from sutura.store.tables import Photo as PhotoTable


@dataclass(frozen=True, slots=True, kw_only=True)
class PhotoLine:
    """A photo in a list: its number, what it shows, the id of the mark it is of, its size in pixels."""

    id: int
    says: str
    mark: str
    width: int
    height: int


_LINE = PhotoTable.select(
    PhotoTable.id, PhotoTable.says, PhotoTable.mark, PhotoTable.width, PhotoTable.height
).order_by(PhotoTable.id)


def add_photo(draft_id: str, says: str, mark: str, photo: Photo, person_id: int, at: datetime) -> None:
    _add(photo, says, person_id, at, draft_id=draft_id, mark=mark)


def add_note_photo(job_id: int, note_id: int, says: str, photo: Photo, person_id: int, at: datetime) -> None:
    _add(photo, says, person_id, at, job=job_id, note_id=note_id, mark="")


def add_piece_photo(piece_id: int, says: str, photo: Photo, person_id: int, at: datetime) -> None:
    _add(photo, says, person_id, at, piece_id=piece_id, mark="")


def _add(photo: Photo, says: str, person_id: int, at: datetime, **of: object) -> None:
    PhotoTable.insert(
        says=says,
        width=photo.width,
        height=photo.height,
        image=photo.image,
        thumb=photo.thumb,
        person=person_id,
        at=at,
        **of,
    ).execute()


@reading
def piece_photos(piece_id: int) -> list[PhotoLine]:
    return each(PhotoLine, _LINE.where(PhotoTable.piece_id == piece_id))


def remove_photo(draft_id: str, photo_id: int) -> None:
    PhotoTable.delete().where(PhotoTable.id == photo_id, PhotoTable.draft_id == draft_id).execute()


def remove_photos(draft_id: str) -> None:
    PhotoTable.delete().where(PhotoTable.draft_id == draft_id).execute()


def give_photos(draft_id: str, job_id: int) -> None:
    """The photos of a draft become those of the job it became."""
    PhotoTable.update(job=job_id, draft_id=None).where(PhotoTable.draft_id == draft_id).execute()


@reading
def count_photos(draft_id: str) -> int:
    return int(PhotoTable.select().where(PhotoTable.draft_id == draft_id).count())


@reading
def draft_photos(draft_id: str) -> list[PhotoLine]:
    return each(PhotoLine, _LINE.where(PhotoTable.draft_id == draft_id))


@written
def _of_job(job_id: int) -> Select:
    return _LINE.where(PhotoTable.job == job_id)


@reading
def job_photos(job_id: int) -> list[PhotoLine]:
    return each(PhotoLine, _of_job(job_id))


@reading
def photos_of(job_ids: Sequence[int]) -> dict[int, list[int]]:
    """The numbers of the photos of each of some jobs, by the job's number."""
    photos = PhotoTable.select(PhotoTable.job, PhotoTable.id).order_by(PhotoTable.id)
    return grouped(photos.where(PhotoTable.job.in_(list(job_ids))))


@reading
def load_photo(photo_id: int, *, small: bool) -> bytes | None:
    wanted = PhotoTable.thumb if small else PhotoTable.image
    image = PhotoTable.select(wanted).where(PhotoTable.id == photo_id).scalar()
    return None if image is None else bytes(image)
