-- Folders in which something was recorded, so that it is found after another folder was chosen.
CREATE TABLE recording_folders (
    path TEXT PRIMARY KEY,
    used_at REAL NOT NULL
) STRICT;
