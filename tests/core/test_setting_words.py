"""Settings in words: by their own labels, never by their paths."""

import pytest

from goshawk.core.recording.document import settings_of
from goshawk.core.rig import Rig
from goshawk.core.setting_words import setting_in_words


@pytest.mark.parametrize(
    ("path", "value", "said"),
    [
        ("inputs.voice.is_muted", True, "Voice muted"),
        ("inputs.voice.is_muted", False, "Voice unmuted"),
        ("is_on_break", True, "Break on"),
        ("inputs.game.fader_db", -9.5, "Game: Fader −9.5 dB"),
        ("inputs.voice.chain.gate.is_bypassed", True, "Voice, Gate bypassed"),
        ("inputs.gone.fader_db", -3.0, "fader db −3"),
    ],
)
def test_a_change_is_said_by_its_labels(path: str, value: object, said: str) -> None:
    assert setting_in_words(Rig(), path, value) == said


def test_every_setting_of_a_rig_has_words_without_code_names() -> None:
    for path, value in settings_of(Rig()).items():
        said = setting_in_words(Rig(), path, value)
        assert "_" not in said, (path, said)
        assert "None" not in said, (path, said)
