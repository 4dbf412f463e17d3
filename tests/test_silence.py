"""When a process that says nothing is taken for hung: by a virtual clock, on machines that stand still, starve it or let it loop."""

import pytest

from goshawk import silence
from goshawk.silence import KEPT_WAITING_S, Silence

LOOKS_EVERY_S, PATIENCE_S = 0.1, 3.0


class World:
    """A clock, and what the system says of the process."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.now_s, self.used_s, self.share = 0.0, 0.0, 0.0
        self.is_kept_waiting = False
        monkeypatch.setattr(silence, "is_kept_waiting", lambda pid: self.is_kept_waiting)
        monkeypatch.setattr(silence, "cpu_s", lambda pid: self.used_s)
        self.silence = Silence(lambda: self.now_s)

    def hung_after_s(self) -> float:
        self.silence.heard()
        began_s = self.now_s
        while not self.silence.is_hung(7, PATIENCE_S):
            self.now_s += LOOKS_EVERY_S
            self.used_s += self.share * LOOKS_EVERY_S
        return self.now_s - began_s


def test_one_that_could_have_spoken_is_hung_and_one_that_was_kept_waiting_has_more_time(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    world = World(monkeypatch)
    assert world.hung_after_s() == pytest.approx(PATIENCE_S, abs=2 * LOOKS_EVERY_S)
    world.is_kept_waiting = True
    world.share = 0.25  # of a processor: others take the rest
    assert world.hung_after_s() == pytest.approx(KEPT_WAITING_S, abs=2 * LOOKS_EVERY_S)
    world.share = 1.0  # it runs in circles
    assert world.hung_after_s() == pytest.approx(PATIENCE_S, abs=2 * LOOKS_EVERY_S)


def test_a_machine_that_stood_still_lets_nobody_speak(monkeypatch: pytest.MonkeyPatch) -> None:
    """There, engines were killed that would have gone on, and the next ones took seconds more to come."""
    world = World(monkeypatch)
    for _ in range(4):
        world.silence.heard()
        world.now_s += 20.0
        assert not world.silence.is_hung(7, PATIENCE_S)
