-- The takes of a rig's sound check; their sound lies beside the database, in the folder "takes".
CREATE TABLE takes (
    rig_id INTEGER NOT NULL REFERENCES rigs (id) ON DELETE CASCADE,
    kind TEXT NOT NULL,
    file TEXT NOT NULL,
    figures TEXT NOT NULL,
    doubt TEXT NOT NULL,
    taken_at REAL NOT NULL,
    PRIMARY KEY (rig_id, kind)
) STRICT;

-- The figures of the takes from which the chain in use was accepted: a later check is compared with them.
CREATE TABLE kept_checks (
    rig_id INTEGER PRIMARY KEY REFERENCES rigs (id) ON DELETE CASCADE,
    document TEXT NOT NULL,
    kept_at REAL NOT NULL
) STRICT;
