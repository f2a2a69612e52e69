"""What customers agree to follows the device: splash protection where there is any, glass alone where it is a way.

Frozen: never edit after release.
"""

import json
import re

SQL = """
alter table consent_text add column applies text not null default 'always'
    check (applies in ('always', 'splash', 'glass_only'));
alter table consent_text disable trigger user;
update consent_text set applies = 'splash' where consent = 'splash';
alter table consent_text enable trigger user;
alter table consent_text alter column applies drop default;
insert into consent_text (consent, version, text, needed, active, applies, at) values
    ('glass', 1, 'If the glass alone is changed, the display may break in the work; then the whole front is needed, at its price.',
     true, true, 'glass_only', now());
"""


def up(migrator, db):
    db.execute_sql(SQL)
    _forbid_edges(db)


NO_PICK = re.compile(r"\b(top|right|bottom|left) edge: no (?:pick|blade)\b")


def _forbid_edges(db):
    """An edge that a step of the sheet forbids is forbidden in the face too: the opening plan reads that."""
    for model_id, data in db.execute_sql("select id, data from model").fetchall():
        edges = data["face"].get("edges", {})
        forbidden = {
            edge
            for step in data.get("steps", ())
            for limit in step.get("limits", ())
            for edge in NO_PICK.findall(limit)
            if edges.get(edge, {}).get("depth_mm", 0) > 0
        }
        for edge in forbidden:
            edges[edge]["depth_mm"] = 0
        if forbidden:
            db.execute_sql("update model set data = %s where id = %s", (json.dumps(data), model_id))
