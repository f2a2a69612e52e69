"""What else is tried on a demo: money by card and back, models that change, customers who are erased, a full
disk.

Each says what it saw as `attack.py` does; the terminal's memory and the books are compared at the end.
"""

from __future__ import annotations

import html
import json
import random
import re
import subprocess
import time
from pathlib import Path
from typing import Any

from attacked import AWAY, Client, Demo, Found, connected

# as often as a person presses again who sees "not saved"
PRESSES = 40
# what is left on a full disk, and the disk: the demo's database and log, and room to work
FULL_MB, DISK_MB = 1, 2_000


def press(client: Client, path: str, fields: dict[str, str], key: str, found: Found, what: str) -> int:
    """A form sent with its own key until somebody answers; 0 where nobody did."""
    for _ in range(PRESSES):
        try:
            if not client.csrf:
                client.sign_in()
            status = client.post(path, fields, key)
        except OSError:
            client.csrf = ""
            time.sleep(0.5)
            continue
        found.saw(what, status, path)
        if status not in (AWAY, 403):
            return status
        client.csrf = ""
        time.sleep(0.5)
    return 0


def codes_of(client: Client) -> list[str]:
    """The jobs on the lists."""
    found: list[str] = []
    for path in ("/", "/bench", "/match"):
        found += re.findall(r"/jobs/([0-9A-Z-]{6,7})", client.get(path)[1])
    return list(dict.fromkeys(found))


def cards(demo: Demo, number: int, found: Found, until: float) -> None:
    """Takes a little by card of whoever owes something, and gives a little back, with each form sent again
    until it is answered.
    """
    chance = random.Random(number)
    pell, ines = Client(demo, "Pell"), Client(demo, "Ines")
    codes: list[str] = []
    while time.monotonic() < until:
        try:
            if not codes:
                ines.sign_in()
                codes = codes_of(ines)
        except OSError:
            time.sleep(0.5)
            continue
        code = chance.choice(codes or ["00-KV6"])
        key = f"card-{chance.getrandbits(80):x}"
        if press(pell, f"/jobs/{code}/money/card", {"amount": "0.10"}, key, found, "card") != 303:
            continue
        with found.lock:
            found.by_card += 1
        if chance.random() < 0.5:
            back = {"give_back": "0.10", "method": "card", "why_back": "attack"}
            key = f"back-{chance.getrandbits(80):x}"
            press(ines, f"/jobs/{code}/money/back", back, key, found, "back to card")


def screws(demo: Demo, found: Found, until: float) -> None:
    """Takes screws out one by one and puts them back, each press with its own key until it is answered: a
    second press of the same screw would take the first one back.
    """
    bram = Client(demo, "Bram")
    while time.monotonic() < until:
        try:
            bram.sign_in()
            benches = [(code, bram.get(f"/jobs/{code}/bench")[1]) for code in codes_of(bram)]
        except OSError:
            time.sleep(0.5)
            continue
        for code, page in benches:
            step = re.search(r'name="_step"\s+value="([^"]+)"', page)
            if not step:
                continue
            for place in re.findall(r'name="_screw" value="(\d+)"', page) * 6:
                key = f"screw-{time.monotonic_ns()}-{place}"
                path = f"/jobs/{code}/bench/screw"
                fields = {"_step": html.unescape(step[1]), "_screw": place}
                if press(bram, path, fields, key, found, "screw") == 303:
                    found.screws[code] += 1
                if time.monotonic() > until:
                    return
        time.sleep(0.5)


def touched(demo: Demo) -> dict[str, int]:
    """How often a screw was taken out or put in, by job."""
    with connected(demo.database) as link:
        counted = (
            "select code, count(*) from bench_screw join job on job.id = bench_screw.job_id group by code"
        )
        return dict(link.execute(counted).fetchall())


def changes(demo: Demo, chance: random.Random, found: Found, until: float) -> None:
    """Reads packs in whose models changed, and looks at pages of jobs after each."""
    ines = Client(demo, "Ines")
    packs = ("fennick", "bramling", "ardale", "quillon", "tarnbeck", "osmere")
    while time.monotonic() < until:
        try:
            ines.sign_in()
            pack = json.loads(ines.get(f"/catalogue/packs/{chance.choice(packs)}.json")[1])
            change(chance.choice(pack["models"]), chance)
            look = ines.upload("/catalogue/packs/look", "pack.json", json.dumps(pack).encode())
            found.saw("model changed", look[0], "/catalogue/packs/look")
            if look[0] == 303:
                page = ines.get(look[1])[1]
                mark = re.search(r'name="_mark" value="([^"]*)"', page)
                key = f"pack-{chance.getrandbits(80):x}"
                fields = {"_mark": html.unescape(mark[1]) if mark else "", "_act": "read"}
                found.saw("model changed", ines.post(look[1], fields, key), look[1])
            for code in chance.sample(codes := codes_of(ines), min(4, len(codes))):
                for page in ("", "/money", "/bench", "/proof", "/handover", "/ticket", "/match", "/routes"):
                    found.saw("page of a changed model", ines.get(f"/jobs/{code}{page}")[0], f"{code}{page}")
        except (OSError, ValueError):
            time.sleep(0.3)


def change(model: dict[str, Any], chance: random.Random) -> None:
    """Something of a model is another: a function more or less, a screw, a time, a name."""
    what = chance.choice(("gains", "loses", "screws", "minutes", "name"))
    if what == "gains":
        new = {"id": f"attack-{chance.randrange(1000)}", "name": "Attack", "how": "Look at it."}
        model["functions"].append(new)
    elif what == "loses" and len(model["functions"]) > 2:
        model["functions"].pop(chance.randrange(len(model["functions"])))
    elif what == "screws" and model["screws"]:
        chance.choice(model["screws"])["count"] = chance.randint(1, 9)
    elif what == "minutes":
        model["cure_minutes"] = chance.randint(0, 300)
    else:
        model["name"] = f"{model['name'][:40]} {chance.randrange(100)}"


def once_only(demo: Demo) -> None:
    """The demo's people come again and again, and who has a device here is not erased: each device that went
    home becomes that of somebody who came once.
    """
    with connected(demo.database) as link:
        gone = "select id from job where stage in ('handed_back', 'returned') order by id"
        for (job,) in link.execute(gone).fetchall():
            name, phone = f"Attacked Once {job}", f"555 77 {job:05d}"
            person = link.execute(
                "insert into customer (name, phone, phone_plain, saved_at) "
                "values (%s, %s, %s, now()) returning id",
                (name, phone, phone.replace(" ", "")),
            ).fetchone()
            link.execute("update job set customer_id = %s where id = %s", (person[0], job))


def erasing(demo: Demo, chance: random.Random, found: Found, until: float) -> None:
    """Erases customers one after the other, and looks at their page and at lists afterwards; those who still
    have something here are refused.
    """
    ines = Client(demo, "Ines")
    with connected(demo.database) as link:
        numbers = [number for (number,) in link.execute("select id from customer order by id").fetchall()]
    pause = (until - time.monotonic()) / len(numbers) / 2
    while time.monotonic() < until:
        number = chance.choice(numbers)
        try:
            ines.sign_in()
            status, page = ines.get(f"/customers/{number}")
            name = re.search(r"<h1[^>]*>([^<]+)</h1>", page)
            if status == 200 and name:
                typed = {"typed_name": html.unescape(name[1]).strip()}
                key = f"erase-{chance.getrandbits(80):x}"
                if press(ines, f"/customers/{number}/erase", typed, key, found, "erase") == 303:
                    found.erased.add(number)
            for path in (f"/customers/{number}", "/", "/book"):
                found.saw("page after erasing", ines.get(path)[0], path)
        except OSError:
            ines.csrf = ""
            time.sleep(0.3)
        time.sleep(min(pause, 20))


def erased_are_gone(demo: Demo, found: Found) -> list[str]:
    """Who was told to be erased and is not, and names of them that stand in what was sent."""
    with connected(demo.database) as link:
        gone = {number for (number,) in link.execute("select id from customer where erased_at is not null")}
        named = link.execute(
            "select id, name from customer "
            "where erased_at is not null and (name like 'Attacked%' or phone <> '')"
        ).fetchall()
    kept = [f"told erased and is not: customer {number}" for number in sorted(found.erased - gone)]
    return kept + [f"erased and still named: customer {number}, {name}" for number, name in named]


# -- a full disk --------------------------------------------------------------------------------------


def mounted(folder: Path) -> bool:
    """Whether a small file system could be mounted there: only root may, and not everywhere."""
    asked = ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m,mode=755", "tmpfs", str(folder)]
    return subprocess.run(asked, capture_output=True, check=False).returncode == 0


def fills(demo: Demo, found: Found) -> list[str]:
    """Fill the disk, write and read, and empty it again: what did not answer as it must."""
    ines, wrong = Client(demo, "Ines"), []
    ines.sign_in()
    ballast = demo.state / "ballast"
    _fill(ballast)
    said = set()
    for number in range(40):
        try:
            status = ines.post("/shelf/P-1001/receive", _receipt(number), f"full-disk-{number:04d}")
        except OSError:
            status = 0
        found.saw("on a full disk", status, "/shelf/P-1001/receive")
        said.add(status)
        _fill(ballast)
    if AWAY not in said:
        wrong.append(f"a full disk was never said: {sorted(said)}")
    ballast.unlink()
    until = time.monotonic() + 90
    while time.monotonic() < until:
        try:
            ines.sign_in()
            if ines.post("/shelf/P-1001/receive", _receipt(99), f"room-again-{until:.0f}") == 303:
                return wrong
        except OSError:
            pass
        time.sleep(0.5)
    return [*wrong, "it did not recover when there was room again"]


def _receipt(number: int) -> dict[str, str]:
    return {"quantity": "1", "unit_cost": "1.00", "receipt_note": f"on a full disk {number} " + "x" * 150}


def _fill(ballast: Path) -> None:
    """Whatever room there is, but for a little, is taken."""
    with ballast.open("ab", buffering=0) as file:
        for size in (1 << 20, 1 << 12, 1):
            try:
                while file.write(b"x" * size) == size:
                    pass
            except OSError:
                continue


# -- at the end ---------------------------------------------------------------------------------------


def open_at_the_terminal(demo: Demo) -> int:
    """How much nobody knows the end of."""
    open_ones = "(select count(*) from {} where state in ('asked', 'unknown'))"
    asked = " + ".join(open_ones.format(table) for table in ("card_charge", "card_refund"))
    with connected(demo.database) as link:
        [(count,)] = link.execute(f"select {asked}").fetchall()
    return int(count)


def terminal_and_books(demo: Demo) -> list[str]:
    """Where the terminal's own memory and the books differ; what is still asked about is neither."""
    file = demo.state / "cards.json"
    said: dict[str, Any] = json.loads(file.read_text("utf-8")) if file.exists() else {}
    wrong = []
    with connected(demo.database) as link:
        for table, key in (("card_charge", "card_charge_id"), ("card_refund", "card_refund_id")):
            booked = "and kind <> 'refund'" if table == "card_charge" else ""
            rows = link.execute(
                "select reference, state, amount_minor, "
                f"(select count(*) from payment where {key} = asked.id {booked}) from {table} asked "
                "where reference like 'card-%' or reference like '%back-%'"
            ).fetchall()
            for reference, state, minor, payments in rows:
                at_terminal = said.get(reference, {})
                approved = at_terminal.get("said") == "approved"
                if state in ("asked", "unknown"):
                    continue
                in_books = state in ("approved", "reversed")
                if approved != in_books or (approved and at_terminal.get("minor") != minor):
                    wrong.append(f"{reference}: terminal {at_terminal}, books {state} {minor}")
                if in_books != (payments == 1):
                    wrong.append(f"{reference}: {state}, booked {payments} times")
    return wrong
