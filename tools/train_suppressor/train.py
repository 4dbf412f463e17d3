"""Trains the voice model on the material: build/train/torch-env/bin/python -m tools.train_suppressor.train [MINUTES [WEIGHTS]]

Seeded. WEIGHTS are to go on from. Writes the weights to build/train/voice_model.npz as it goes on (their mean over the last thousand steps), and at its end the
sums by which the program's own inference is checked. Nothing of the application is imported but names and numbers.
"""

import math
import sys
import time
from pathlib import Path

import numpy as np
import torch
from torch import Tensor, nn

WHERE = Path("build/train/material")
OUT = Path("build/train/voice_model.npz")
BANDS, CRESTS = 40, 12
FEATURES = 4 * BANDS + CRESTS
UNITS = 64
MOST_UP_DB, RANGE_DB = 8.0, 48.0
"""A gain over the classical one lies between so much up and, from there, so much down."""

STEPS_AT_A_TIME = 32_000
SHORT_PIECE, LONG_PIECE = 250, 500
"""Steps of a clip that are learned from at a time: short ones first, since they go faster, at last the long ones."""

LONG_FROM = 0.75

COMPRESSED = 0.3
OVER_SUPPRESSED = 2.5
POWER_OF_GAIN = 0.5
"""As the program takes it at its default."""

RATE = 2e-3
KEPT_OF_MEAN = 0.999


class VoiceModel(nn.Module):
    """From features (clips, steps, FEATURES) to gains in dB (…, BANDS) and the logit of speech (…)."""

    def __init__(self) -> None:
        super().__init__()
        self.into = nn.Linear(FEATURES, UNITS)
        self.first = nn.GRU(UNITS, UNITS, batch_first=True)
        self.second = nn.GRU(UNITS, UNITS, batch_first=True)
        self.out = nn.Linear(UNITS, BANDS + 1)
        with torch.no_grad():
            self.out.bias.fill_(math.log(MOST_UP_DB / (RANGE_DB - MOST_UP_DB)))

    def forward(
        self, seen: Tensor, states: tuple[Tensor, Tensor] | None = None
    ) -> tuple[Tensor, Tensor]:
        one = torch.tanh(self.into(seen))
        two, _ = self.first(one)
        three, _ = self.second(two)
        out = self.out(three)
        return MOST_UP_DB - RANGE_DB * torch.sigmoid(out[..., :BANDS]), out[..., BANDS]


def loss_of(gain_db: Tensor, speech: Tensor, rows: Tensor) -> Tensor:
    """In each band: the compressed magnitude of what goes out, behind the classical gain and as much of this one as the program takes by
    default, beside that of the speech, where too little counts OVER_SUPPRESSED times as much; the gain of both beside the one that
    would have been right; and whether somebody speaks. Nothing is given back: in a band's mean, noise between harmonics is not
    told from the voice."""
    clean, is_spoken = rows[..., FEATURES : FEATURES + BANDS], rows[..., -1]
    voice = rows[..., FEATURES + BANDS : FEATURES + 2 * BANDS]
    noise = rows[..., FEATURES + 2 * BANDS : FEATURES + 3 * BANDS]
    ten = math.log(10.0)
    heard = (30.0 * rows[..., :BANDS] - 70.0) / 10.0
    behind = torch.logaddexp(ten * voice, ten * noise) / ten
    loudest = torch.quantile(torch.logsumexp(clean * ten, -1), 0.95, dim=1) / ten
    reference = torch.clamp(loudest, min=-6.5)[:, None, None] - 0.8
    out = behind + POWER_OF_GAIN * torch.clamp(gain_db, max=0.0) / 10.0

    def compressed(level: Tensor) -> Tensor:
        return torch.pow(10.0, COMPRESSED / 2.0 * torch.clamp(level - reference, min=-7.0, max=3.0))

    off = compressed(out) - compressed(clean)
    weights = torch.ones(BANDS)
    weights[:30] = 1.3
    weights[36:] = 0.5
    too_little = torch.where(off < 0, OVER_SUPPRESSED, 1.0)
    whole = (off**2 * too_little * weights).mean()
    right = torch.pow(10.0, torch.clamp(clean - heard, min=-8.0, max=0.0) / 2.0)
    taken = torch.pow(10.0, torch.clamp(out - heard, min=-8.0, max=0.5) / 2.0)
    beside = ((taken - right) ** 2 * too_little * weights).mean()
    return (
        whole
        + 0.3 * beside
        + 0.03 * nn.functional.binary_cross_entropy_with_logits(speech, is_spoken)
    )


NAMES = {
    "into.weight": "into", "into.bias": "into_bias", "out.weight": "out", "out.bias": "out_bias",
    **{f"{layer}.{there}_l0": f"{layer}_{here}" for layer in ("first", "second") for there, here in
       (("weight_ih", "input"), ("weight_hh", "state"), ("bias_ih", "input_bias"), ("bias_hh", "state_bias"))},
}  # fmt: skip
"""PyTorch's names of the weights, and those that the program reads."""


def exported(model: VoiceModel) -> dict[str, np.ndarray]:
    """The weights under the names that the program reads."""
    state = model.state_dict()
    return {here: state[there].detach().numpy().astype(np.float32) for there, here in NAMES.items()}


def take_over(model: VoiceModel, weights: dict[str, np.ndarray]) -> None:
    """Go on from weights of before."""
    model.load_state_dict({there: torch.from_numpy(weights[here]) for there, here in NAMES.items()})


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    torch.manual_seed(11)
    torch.set_num_threads(1)
    files = sorted(WHERE.glob("*.npy"))
    if not files:
        raise SystemExit("There is no material: run make_material first (see README.md).")
    material = [np.load(file, mmap_mode="r") for file in files]
    places = [(n, i) for n, one in enumerate(material) for i in range(len(one))]
    held = places[:100] + places[-100:]
    places = places[100:-100]
    model, mean = VoiceModel(), VoiceModel()
    if len(sys.argv) > 2:
        take_over(model, dict(np.load(sys.argv[2])))
    mean.load_state_dict(model.state_dict())
    optimiser = torch.optim.AdamW(model.parameters(), lr=RATE, weight_decay=1e-4)

    def rows_of(chosen: list[tuple[int, int]]) -> Tensor:
        return torch.from_numpy(np.stack([material[n][i] for n, i in chosen]).astype(np.float32))

    chance = np.random.default_rng(11)

    def pieces_of(chosen: np.ndarray, length: int) -> Tensor:
        found = []
        for n, i in (places[k] for k in chosen):
            first = int(chance.integers(0, material[n].shape[1] - length + 1))
            found.append(material[n][i, first : first + length].astype(np.float32))
        return torch.from_numpy(np.stack(found))

    began, step, running = time.monotonic(), 0, 0.0
    # No minutes at all: only the sums for weights that were made elsewhere.
    while minutes and (share := (time.monotonic() - began) / (60.0 * minutes)) < 1.0:
        for group in optimiser.param_groups:
            group["lr"] = RATE * min(1.0, step / 50.0) * 0.5 * (1.0 + math.cos(math.pi * share))
        piece = LONG_PIECE if share > LONG_FROM else SHORT_PIECE
        rows = pieces_of(chance.choice(len(places), STEPS_AT_A_TIME // piece, replace=False), piece)
        seen = rows[..., :FEATURES]
        loss = loss_of(*model(seen), rows)
        optimiser.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(model.parameters(), 1.0)
        optimiser.step()
        kept = min(KEPT_OF_MEAN, step / (step + 50.0))
        with torch.no_grad():
            for there, here in zip(mean.parameters(), model.parameters(), strict=True):
                there.lerp_(here, 1.0 - kept)
        running = 0.95 * running + 0.05 * float(loss)
        if step % 200 == 0:
            with torch.no_grad():
                test = rows_of(held)
                said = float(loss_of(*mean(test[..., :FEATURES]), test))
            print(
                f"step {step}, {60 * minutes * share:.0f} s: loss {running:.4f}, held back {said:.4f}",
                flush=True,
            )
            np.savez(OUT, **exported(mean))
        step += 1
    np.savez(OUT, **exported(mean))
    with torch.no_grad():
        # Ten minutes on end: sixty clips, one after the other, without a new beginning.
        test = rows_of(held[:60])[..., :FEATURES].reshape(1, -1, FEATURES)
        gain_db, speech = mean(test)
        np.savez(
            OUT.with_name("check.npz"),
            seen=test.numpy(),
            gain_db=gain_db.numpy(),
            speech=torch.sigmoid(speech).numpy(),
        )


if __name__ == "__main__":
    main()
