-- Who may hear by address: what a token was called, and its digest. The token itself is kept nowhere.
CREATE TABLE access_tokens (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    digest TEXT NOT NULL UNIQUE,
    made_at REAL NOT NULL,
    used_at REAL
) STRICT;
