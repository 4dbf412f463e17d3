CREATE TABLE rigs (
    id INTEGER PRIMARY KEY,
    is_active INTEGER NOT NULL DEFAULT 0 CHECK (is_active IN (0, 1)),
    revision INTEGER NOT NULL
) STRICT;

CREATE UNIQUE INDEX one_active_rig ON rigs (is_active) WHERE is_active = 1;

-- Every state a rig has been in, so that undo and redo outlive the program.
CREATE TABLE revisions (
    rig_id INTEGER NOT NULL REFERENCES rigs (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    document TEXT NOT NULL,
    changed_path TEXT NOT NULL,
    saved_at REAL NOT NULL,
    PRIMARY KEY (rig_id, number)
) STRICT;

CREATE TABLE sound_files (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    rate_hz INTEGER NOT NULL,
    channels INTEGER NOT NULL,
    duration_s REAL NOT NULL,
    saved_at REAL NOT NULL
) STRICT;
