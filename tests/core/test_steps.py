"""Programs of steps: the same as the kernels one by one, and nothing that compiled code would misread."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.filter_bank import FilterBank
from goshawk.core.dsp.side_chain import high_pass_coefficients
from goshawk.core.stage import CLEAN
from goshawk.core.steps import PackedBlock, Step, StepProgram, copying, run_all
from tests.conftest import random_sound

MOST_FRAMES = 256


class Graph:
    """A block that is filtered, delayed, and copied to a second one, which is delayed too."""

    def __init__(self) -> None:
        self.block = np.zeros((MOST_FRAMES, 2), np.float32)
        self.copy = np.zeros((MOST_FRAMES, 1), np.float32)
        bank = FilterBank(1, 2, MOST_FRAMES)
        bank.set(np.array([high_pass_coefficients(300.0)]), at_once=True)
        self.first = [CLEAN, bank.step(), Delay(2, 100, 37).step, copying(self.copy)]
        self.then = [Delay(1, 500, 400).step]

    def program(self, before: StepProgram | None = None) -> StepProgram:
        program = StepProgram(before)
        program.group = "first"
        program.add(self.block, *self.first)
        program.group = "then"
        program.add(self.copy, *self.then)
        return program.finish()


@settings(max_examples=20, deadline=None)
@given(st.lists(st.integers(0, MOST_FRAMES), min_size=1, max_size=20))
def test_a_program_does_what_its_steps_do_one_by_one(lengths: list[int]) -> None:
    single, whole = Graph(), Graph()
    program = whole.program()
    for number, frames in enumerate(lengths):
        if number == 5:
            program = whole.program(program)  # in its place, on the same blocks
        sound = random_sound(number, 0.01, channels=2)[:frames]
        frames = len(sound)
        single.block[:frames] = whole.block[:frames] = sound
        run_all(single.first, single.block[:frames])
        run_all(single.then, single.copy[:frames])
        program.run(frames)
        np.testing.assert_array_equal(whole.block, single.block)
        np.testing.assert_array_equal(whole.copy, single.copy)
    spent = program.take_cycles()
    assert spent.keys() == {"first", "then"}
    assert all(program.take_cycles()[name] == 0 for name in spent)


def test_a_program_follows_a_block_that_moves() -> None:
    delay = Delay(1, 10, 3)
    packed = PackedBlock(np.zeros((4, 1), np.float32))
    program = StepProgram()
    program.add(packed, delay.step)
    program.finish()
    sound = np.arange(1, 13, dtype=np.float32)[:, None]
    for start in (0, 4, 8):
        packed.point_at(sound[start : start + 4])
        program.run(4)
    assert sound[:, 0].tolist() == [0, 0, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9]


def test_what_compiled_code_would_misread_is_refused() -> None:
    two = np.zeros((8, 2), np.float32)
    for block in (two[:, :1], two.astype(np.float64), np.zeros(8, np.float32), two.T):
        with pytest.raises(TypeError):
            PackedBlock(block)
    with pytest.raises(TypeError, match="one piece"):
        copying(two[:, :1])
    with pytest.raises(TypeError, match="int8"):
        Step(CLEAN.kernel, np.zeros(3, np.int16))
