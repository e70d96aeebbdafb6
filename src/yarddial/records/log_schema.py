"""Tables of the log: the entries, and indexes that avoid reading all of them."""

import sqlite3

SCHEMA_VERSION = 2
# Measurements of one oscillator within this time form one point of its history: the latest.
SLOT_S = 6 * 3_600
# Rows indexed per point, so that an unreadable one does not hide the one before it.
MAX_NOTED_ROWS = 3
# Dial positions closer together than this count as one.
PLACE_HZ = 5_000
FIELDS = "at_utc, station, kind, route, method, reference, temperature_c, text, data"
# Columns searched for words.
_WORDS = "text, kind, route, method, reference"

_VERSION_1 = (
    """CREATE TABLE entries (
    id INTEGER PRIMARY KEY,
    at_utc TEXT NOT NULL,
    station TEXT NOT NULL,
    kind TEXT NOT NULL,
    route TEXT NOT NULL DEFAULT '',
    method TEXT NOT NULL DEFAULT '',
    reference TEXT NOT NULL DEFAULT '',
    temperature_c REAL,
    text TEXT NOT NULL,
    data TEXT NOT NULL DEFAULT '{}'
)""",
    "CREATE INDEX entries_by_kind ON entries (station, kind, at_utc)",
)


def _from_data(source: str, rows: str) -> tuple[str, ...]:
    """SQL statements that index an entry's data; `source` names the row, `rows` what follows FROM.

    points : last entry of each oscillator in an interval. places : last entry of each dial position.
    words : a row for each word of an entry.
    """
    data = f"CASE WHEN json_valid({source}.data) THEN {source}.data ELSE '{{}}' END"
    slot = f"strftime('%s', {source}.at_utc) / {SLOT_S}"
    place = f"CAST(round(%s / {PLACE_HZ}.0) AS INTEGER)"
    seen = f"json_extract({data}, '$.observation.reference_hz')"
    peak = "json_extract(each.value, '$.dial_hz')"
    verdict_column = "coalesce(json_extract(each.value, '$.verdict'), '')"
    return (
        f"INSERT OR REPLACE INTO points SELECT {source}.station, each.key, {slot}, {source}.id "
        f"FROM {rows}json_each({data}, '$.oscillators') AS each WHERE {slot} IS NOT NULL",
        f"INSERT OR REPLACE INTO places SELECT {source}.station, {place % seen}, 'measured', {source}.id "
        + (f"FROM {rows[:-2]} " if rows else "")
        + f"WHERE typeof({seen}) IN ('real', 'integer')",
        f"INSERT OR REPLACE INTO places SELECT {source}.station, {place % peak}, {verdict_column}, {source}.id "
        f"FROM {rows}json_each({data}, '$.peaks') AS each "
        f"WHERE each.type='object' AND typeof({peak}) IN ('real', 'integer')",
    )


_NEW = "; ".join(_from_data("new", ""))
_TABLES = (
    "CREATE TABLE points (station TEXT, name TEXT, slot INTEGER, entry INTEGER, "
    "PRIMARY KEY (station, name, slot, entry)) WITHOUT ROWID",
    "CREATE TABLE places (station TEXT, place INTEGER, told TEXT, entry INTEGER, "
    "PRIMARY KEY (station, place, told, entry)) WITHOUT ROWID",
    "CREATE INDEX points_by_entry ON points (entry)",
    "CREATE INDEX places_by_entry ON places (station, entry)",
    "CREATE INDEX entries_by_number ON entries (station, kind)",
    "CREATE INDEX entries_of_kind ON entries (kind)",
    "CREATE TABLE counts (station TEXT PRIMARY KEY, entries INTEGER NOT NULL) WITHOUT ROWID",
    f"CREATE VIRTUAL TABLE words USING fts5({_WORDS}, content='entries', content_rowid='id')",
)
_TRIGGERS = (
    f"""CREATE TRIGGER entry_added AFTER INSERT ON entries BEGIN
    INSERT INTO counts VALUES (new.station, 1) ON CONFLICT DO UPDATE SET entries = entries + 1;
    INSERT INTO words (rowid, {_WORDS}) VALUES (new.id, new.text, new.kind, new.route, new.method, new.reference);
    {_NEW};
    DELETE FROM points WHERE (station, name, slot, entry) IN (
        SELECT p.station, p.name, p.slot, (
            SELECT q.entry FROM points q WHERE q.station=p.station AND q.name=p.name AND q.slot=p.slot
            ORDER BY q.entry DESC LIMIT 1 OFFSET {MAX_NOTED_ROWS})
        FROM points p WHERE p.entry = new.id);
    DELETE FROM places WHERE (station, place, told, entry) IN (
        SELECT p.station, p.place, p.told, (
            SELECT q.entry FROM places q WHERE q.station=p.station AND q.place=p.place AND q.told=p.told
            ORDER BY q.entry DESC LIMIT 1 OFFSET {MAX_NOTED_ROWS})
        FROM places p WHERE p.station = new.station AND p.entry = new.id);
END""",
    f"""CREATE TRIGGER entry_removed AFTER DELETE ON entries BEGIN
    UPDATE counts SET entries = entries - 1 WHERE station = old.station;
    INSERT INTO words (words, rowid, {_WORDS})
    VALUES ('delete', old.id, old.text, old.kind, old.route, old.method, old.reference);
    DELETE FROM points WHERE entry = old.id;
    DELETE FROM places WHERE entry = old.id;
END""",
)


def prepare(connection: sqlite3.Connection) -> int:
    """Create or upgrade the tables in one transaction; return the former version."""
    run = connection.execute
    version: int = run("PRAGMA user_version").fetchone()[0]
    if version >= SCHEMA_VERSION:
        return version
    run("BEGIN IMMEDIATE")
    # Another program may have done it first.
    now: int = run("PRAGMA user_version").fetchone()[0]
    if now < SCHEMA_VERSION:
        for statement in (*(_VERSION_1 if now == 0 else ()), *_TABLES, *_TRIGGERS):
            run(statement)
        if now == 1:
            run("INSERT INTO counts SELECT station, count(*) FROM entries GROUP BY station")
            run("INSERT INTO words (words) VALUES ('rebuild')")
            for statement in _from_data("entries", "entries, "):
                run(statement)
        run(f"PRAGMA user_version={SCHEMA_VERSION}")
    run("COMMIT")
    return now
