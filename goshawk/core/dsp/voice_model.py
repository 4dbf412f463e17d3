"""The suppressor's knowledge of voices: a small recurrent network that says, window by window, which gain would be right in each
band, and how likely somebody speaks. The suppressor takes its own gain times a power of that one.

A dense layer, two layers of gated recurrent units (K. Cho et al., "Learning phrase representations using RNN encoder-decoder",
EMNLP 2014; in the form of PyTorch's ``GRU``) and a dense layer, after J.-M. Valin, "A hybrid DSP/deep learning approach to real-time
full-band speech enhancement", IEEE MMSP 2018: the classical estimator keeps the spectrum's detail, the network knows what voices are.
Features: ``voice_features``. How it is trained: ``tools/train_suppressor``; what it was trained on and what it can do: the card beside
the weights.

It was trained on every second hop, so that two states take turns at the hops.
"""

from functools import cache

import numpy as np

from goshawk.core.compiled import inlined, kernel
from goshawk.core.dsp.fast_math import exp2
from goshawk.core.dsp.voice_features import BANDS, FEATURES, Singles
from goshawk.core.given import DamagedModel, given

UNITS = 64
TURNS = 2
MOST_UP_DB, RANGE_DB = 8.0, 48.0
"""A gain lies between so much up and, from there, so much down; the suppressor lifts nothing."""

_SHAPES = {
    "into": (UNITS, FEATURES),
    "into_bias": (UNITS,),
    "first_input": (3 * UNITS, UNITS),
    "first_state": (3 * UNITS, UNITS),
    "first_input_bias": (3 * UNITS,),
    "first_state_bias": (3 * UNITS,),
    "second_input": (3 * UNITS, UNITS),
    "second_state": (3 * UNITS, UNITS),
    "second_input_bias": (3 * UNITS,),
    "second_state_bias": (3 * UNITS,),
    "out": (BANDS + 1, UNITS),
    "out_bias": (BANDS + 1,),
}
_LOG2_E = 1.4426950408889634


def packed(arrays: dict[str, Singles]) -> Singles:
    """All weights in one line, matrices turned so that what one input adds to all outputs lies together. Raises DamagedModel if
    one is missing or has another shape."""
    pieces = []
    for name, shape in _SHAPES.items():
        found = arrays.get(name)
        if found is None or found.shape != shape or not np.isfinite(found).all():
            raise DamagedModel(f"The voice model has no usable {name}. Install Goshawk again.")
        pieces.append(np.ascontiguousarray(found.T, np.float32).ravel())
    return np.concatenate(pieces)


@cache
def weights() -> Singles:
    """The weights that this process was given, packed. Raises DamagedModel."""
    return packed(given.voice_weights())


@inlined
def _sigmoid(x: float) -> float:
    return 1.0 / (1.0 + exp2(-_LOG2_E * min(40.0, max(-40.0, x))))


@kernel
def _dense(weights: Singles, at: int, x: Singles, out: Singles) -> int:
    """``out`` = W x + b of what is packed from ``at`` on; where the next begins."""
    inputs, outputs = x.shape[0], out.shape[0]
    bias = at + inputs * outputs
    for i in range(outputs):
        out[i] = weights[bias + i]
    for j in range(inputs):
        line = weights[at + j * outputs : at + (j + 1) * outputs]
        value = x[j]
        for i in range(outputs):
            out[i] += value * line[i]
    return int(bias + outputs)


@kernel
def _recur(weights: Singles, at: int, x: Singles, state: Singles, scratch: Singles) -> int:
    """One step of a layer of gated recurrent units, ``state`` in place; where the next layer's weights begin."""
    units = state.shape[0]
    gates = 3 * units
    size = gates * units
    given, kept = scratch[0], scratch[1]
    biases = at + 2 * size
    for i in range(gates):
        given[i] = weights[biases + i]
        kept[i] = weights[biases + gates + i]
    for j in range(units):
        line = weights[at + j * gates : at + (j + 1) * gates]
        own = weights[at + size + j * gates : at + size + (j + 1) * gates]
        value, before = x[j], state[j]
        for i in range(gates):
            given[i] += value * line[i]
        for i in range(gates):
            kept[i] += before * own[i]
    for i in range(units):
        reset = _sigmoid(float(given[i] + kept[i]))
        update = _sigmoid(float(given[units + i] + kept[units + i]))
        fresh = 2.0 * _sigmoid(2.0 * (given[2 * units + i] + reset * kept[2 * units + i])) - 1.0
        value_now = (1.0 - update) * fresh + update * state[i]
        state[i] = np.float32(value_now if value_now == value_now else 0.0)
    return int(biases + 2 * gates)


@kernel
def advance(
    weights: Singles, seen: Singles, states: Singles, scratch: Singles, more_db: Singles
) -> float:
    """One step: from features (FEATURES,) to gains in dB (BANDS + 1,), whose last place is left with the logit of speech; returns how likely somebody speaks, 0 to 1. ``states`` (2, UNITS) moves on; ``scratch`` has shape
    (2, 3 UNITS)."""
    hidden = np.empty(UNITS, np.float32)
    at = _dense(weights, 0, seen, hidden)
    for i in range(UNITS):
        hidden[i] = np.float32(2.0 * _sigmoid(2.0 * hidden[i]) - 1.0)
    at = _recur(weights, at, hidden, states[0], scratch)
    at = _recur(weights, at, states[0], states[1], scratch)
    _dense(weights, at, states[1], more_db)
    for b in range(BANDS):
        more_db[b] = np.float32(MOST_UP_DB - RANGE_DB * _sigmoid(float(more_db[b])))
    return float(_sigmoid(float(more_db[BANDS])))
