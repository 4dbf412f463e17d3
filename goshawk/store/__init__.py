"""SQLite through plain SQL. A ``sqlite3`` error never leaves this package."""
