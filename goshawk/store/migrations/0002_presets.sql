CREATE TABLE presets (
    id TEXT PRIMARY KEY,
    document TEXT NOT NULL,
    saved_at REAL NOT NULL
) STRICT;
