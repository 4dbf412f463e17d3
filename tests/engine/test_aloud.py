"""What is said aloud is heard by you and by nobody else."""

import numpy as np

from goshawk.core.routing import FEEDS
from goshawk.core.watch_settings import RULE_NAMES
from goshawk.engine.aloud import spoken_sounds
from goshawk.engine.plan import Plan
from tests.playing import Playing


def test_words_are_added_to_what_you_get_and_to_nothing_else() -> None:
    quiet, speaking = Playing(Plan(number=1)), Playing(Plan(number=1))
    speaking.loop.aloud.say("talk_unheard", 0.5)
    speaking.loop.aloud.say("clips", 0.5)  # one at a time: this is left out
    words = spoken_sounds()["talk_unheard"] * 0.5
    heard = {feed: [np.zeros((0, 2), np.float32)] for feed in FEEDS}
    for _ in range(200):
        for one in (quiet, speaking):
            one.loop.run_block(one.loop.longest_frames)
        for feed in FEEDS:
            ours, theirs = (one.loop.sound(feed)[0].copy() for one in (speaking, quiet))
            heard[feed].append(ours - theirs)
    for feed in FEEDS:
        added = np.concatenate(heard[feed])
        if feed != "you":
            assert not np.any(added)
            continue
        count = min(len(words), len(added))
        assert np.abs(added[:count, 0] - words[:count]).max() < 1e-6
        assert not np.any(added[len(words) :])
    assert not speaking.loop.aloud.is_speaking


def test_there_are_words_for_every_rule() -> None:
    sounds = spoken_sounds()
    assert sounds.keys() == set(RULE_NAMES)
    for sound in sounds.values():
        assert 0.8 < len(sound) / 48_000 < 4.0
        assert 0.05 < np.abs(sound).max() <= 0.5
