"""What carries a name or a number and is looked for by it: suppliers, parts, models, orders, papers, jobs."""

from __future__ import annotations

from dataclasses import dataclass

from sutura.store.database import raw, reading

# of one kind a few tell enough: who looks further types more
MOST_OF_A_KIND, LEAST_ASKED = 6, 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    """One thing with its name or number: its kind, what it is called, and its own id in its address."""

    kind: str
    name: str
    id: str


# one look at six tables, each by what it is called; what begins so first
_NAMED = """
with asked as (select %s::text as part, %s::text as begins, %s::text as exact),
paper as (
  select upper(substring(exact from '^c?')) as series,
         substring(exact from '^c?([0-9]{4})-')::integer as year,
         substring(exact from '-([0-9]{5,9})$')::integer as number
  from asked where exact ~ '^c?[0-9]{4}-[0-9]{5,9}$'
)
(select 'supplier', name, id from supplier, asked where lower(name) like part order by name limit %s)
union all
(select 'part', part.name, part.barcode from part, asked where lower(part.name) like asked.part
   or exists (select 1 from offer where offer.part_id = part.id and lower(offer.number) = asked.exact)
 order by lower(part.name) not like asked.begins, part.name limit %s)
union all
(select 'model', maker || ' ' || name, id from model, asked
 where state in ('listed', 'retired') and lower(maker || ' ' || name) like part order by name limit %s)
union all
(select 'order', 'O-' || lpad(id::text, 5, '0'), id::text from purchase_order, asked
 where 'o-' || lpad(id::text, 5, '0') = exact)
union all
(select 'paper', body ->> 'number', body ->> 'number' from invoice join paper using (series, year, number))
union all
(select 'job', code, code from job, asked
 where lower(code) like begins or (serial <> '' and lower(replace(serial, ' ', '')) like begins)
 order by job.id desc limit %s)
"""


@reading
def find_named(text: str) -> list[Named]:
    """What is called by a text, or has it as its number; at most a few of each kind."""
    plain = text.strip().lower().replace("%", "").replace("_", "").replace("\\", "")
    if len(plain) < LEAST_ASKED:
        # signs alone would be called by everything
        return []
    most = [MOST_OF_A_KIND] * 4
    found = raw(_NAMED, f"%{plain}%", f"{plain}%", plain, *most).fetchall()
    return [Named(kind=kind, name=name, id=key) for kind, name, key in found]
