"""The feeds: what each listener hears."""

from typing import Literal

FeedName = Literal["viewers", "you", "call", "archive"]
FEEDS: tuple[FeedName, ...] = ("viewers", "you", "call", "archive")
EXPECTED: tuple[FeedName, ...] = ("viewers", "you", "call")
"""Feeds that somebody waits for; the archive is kept, and leaves nowhere by itself."""

FEED_LABELS: dict[FeedName, str] = {
    "viewers": "Viewers",
    "you": "You",
    "call": "Call",
    "archive": "Archive",
}

FEED_PATTERN = "|".join(FEEDS)
"""Any feed, within a regular expression."""
