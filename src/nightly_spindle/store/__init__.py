"""The station folder: database, migrations and the functions that read and write it.

Two ways in, one rule: what must start within half a second (a rehearsal, the engine's
restart) reads and writes through `sqlite3` in `snapshot`, `log_reader` and `journal`;
everything that edits the station goes through SQLAlchemy in `library`. Importing
SQLAlchemy alone takes longer than a whole rehearsal may. `tables` is the one schema.
"""
