"""Judge the suppressor on every voice and noise: python -m tools.measure_suppressor [KNOWS_VOICES_PERCENT …]

Prints the tables of docs/measurements.md for each setting of "Knows voices" (0 and the default, if none is named): recorded voices that
training never heard (see tools/train_suppressor/README.md) in seven noises, with the spread and the case that comes off worst beside
0 %. DNSMOS is judged where ``speechmos`` is installed (build/train/torch-env). Takes some minutes.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from functools import cache, partial
from itertools import product
from pathlib import Path

import numpy as np
import soundfile
import soxr

from goshawk.core.dsp.suppressor import SuppressorSettings
from tests.judge import LEAD_S, Score, level_db, room_of, score, suppressed
from tests.material import RATE_HZ, SPEECH_DBFS, Mono, clatter_fall_db, keys, noise
from tools.train_suppressor.judged_voices import FOLDERS, babble, judged_voice

NOISES = ("fan", "hiss", "rain", "hum", "keyboard", "babble", "game")
SNRS_DB = (5, 20)
Case = tuple[str, str, int]
Judged = tuple[Score, float, float]
"""PESQ, STOI, pauses; DNSMOS OVRL and SIG (NaN where it is not installed)."""


@cache
def _mos() -> object | None:
    try:
        from speechmos import dnsmos
    except ImportError:
        return None
    return dnsmos


def mos(sound: Mono) -> tuple[float, float]:
    """DNSMOS P.835: overall, and the signal's own."""
    judge = _mos()
    if judge is None:
        return float("nan"), float("nan")
    at_16 = soxr.resample(sound[int(LEAD_S * RATE_HZ) :], RATE_HZ, 16_000)
    found = judge.run(np.clip(at_16, -1, 1), 16_000)  # type: ignore[attr-defined]
    return float(found["ovrl_mos"]), float(found["sig_mos"])


@cache
def noise_of(kind: str, frames: int) -> Mono:
    """Of unit RMS, with a quiet room for its first second and a half where it comes and goes."""
    seconds = frames / RATE_HZ
    if kind in ("fan", "hiss", "rain", "hum"):
        return noise(kind, seconds)[:frames]
    lead = int(LEAD_S * RATE_HZ)
    match kind:
        case "keyboard":
            sound = keys(seconds)[:frames]
        case "babble":
            sound = babble(seconds)[:frames]
        case _:
            game, rate_hz = soundfile.read(
                Path("goshawk/devices/sounds/game.flac"), dtype="float32"
            )
            mono = game if game.ndim == 1 else game.mean(axis=1)
            sound = np.resize(soxr.resample(mono, rate_hz, RATE_HZ), frames)
    sound = sound / sound[lead:].std()
    sound[:lead] = 0.0
    return (sound + 0.03 * noise("fan", seconds)[:frames]).astype(np.float32)


def mixed(case: Case) -> tuple[Mono, Mono]:
    voice, kind, snr_db = case
    clean = np.pad(judged_voice(voice), (int(LEAD_S * RATE_HZ), 0))
    level = 10 ** ((SPEECH_DBFS - snr_db) / 20)
    return clean, clean + np.float32(level) * noise_of(kind, len(clean))


def judge(case: Case, knows: float | None) -> Judged:
    """One case; None is the input as it is."""
    clean, noisy = mixed(case)
    if knows is None:
        heard = noisy
    else:
        heard = suppressed(
            noisy, SuppressorSettings(room=room_of(noisy), knows_voices_percent=knows)
        )
    return score(clean, noisy, heard), *mos(heard)


def line(name: str, found: list[list[Judged]]) -> None:
    cells = []
    for row in (
        [[one[0].pesq for one in some] for some in found],
        [[one[0].stoi for one in some] for some in found],
        [[one[1] for one in some] for some in found],
        [[one[2] for one in some] for some in found],
    ):
        digits = 3 if max(map(max, row)) <= 1.0 else 2
        cells.append(" / ".join(f"{np.mean(some):.{digits}f} ±{np.std(some):.2f}" for some in row))
    pauses = np.mean([one[0].pauses_db for some in found for one in some])
    print(f"| {name} | {' | '.join(cells)} | −{pauses:.0f} dB |", flush=True)


def keys_of(voice: str, knows: float) -> tuple[float, float, float, float]:
    """Keys and clicks between and under words, and what is lost of the voice beside them."""
    clean = np.pad(judged_voice(voice), (int(LEAD_S * RATE_HZ), 0))
    fan = noise("fan", len(clean) / RATE_HZ)[: len(clean)] * 10 ** (-66 / 20)
    settings = SuppressorSettings(room=room_of(fan), knows_voices_percent=knows)
    treat = partial(suppressed, settings=settings)
    between, under = clatter_fall_db(clean + fan, clean, treat, "keys")
    _, clicks_under = clatter_fall_db(clean + fan, clean, treat, "clicks")
    strokes = 0.15 * keys(len(clean) / RATE_HZ + 1, "keys")[: len(clean)]
    # The voice in what comes out beside strokes: its projection on the voice as it was.
    heard = treat(clean + fan + strokes)
    kept = float((heard * clean).sum() / (clean * clean).sum())
    return between, under, clicks_under, -20 * np.log10(kept)


def strokes_of(voice: str, knows: float, snr_db: int) -> tuple[float, float]:
    """By how much strokes fall under words, and how much of the voice is lost with them: their shares in what goes out, by least
    squares."""
    clean, noisy = mixed((voice, "keyboard", snr_db))
    heard = suppressed(noisy, SuppressorSettings(room=room_of(noisy), knows_voices_percent=knows))
    count = len(clean) // 480 * 480
    is_spoken = np.repeat((clean[:count].reshape(-1, 480) ** 2).mean(axis=1) > 1e-4, 480)
    out, own, strokes = (
        sound[:count][is_spoken].astype(np.float64) for sound in (heard, clean, noisy - clean)
    )
    parts = np.stack([own, strokes])
    of_voice, of_strokes = np.linalg.solve(parts @ parts.T, parts @ out)
    return -20 * np.log10(abs(of_strokes)), -20 * np.log10(of_voice)


def clean_of(voice: str, knows: float) -> tuple[float, float]:
    clean = np.pad(judged_voice(voice), (int(LEAD_S * RATE_HZ), 0))
    heard = suppressed(clean, SuppressorSettings(knows_voices_percent=knows))
    return score(clean, clean, heard).pesq, level_db(heard) - level_db(clean)


def main() -> None:
    wanted = [float(one) for one in sys.argv[1:]]
    settings = wanted or [0.0, SuppressorSettings().knows_voices_percent]
    print("| method | PESQ 5 / 20 dB | STOI | DNSMOS OVRL | SIG | pauses |")
    print("|---|---|---|---|---|---|")
    by_setting: dict[float, dict[Case, Judged]] = {}
    with ProcessPoolExecutor(2) as pool:
        cases = list(product(FOLDERS, NOISES, SNRS_DB))
        for knows in (None, *settings):
            found = dict(zip(cases, pool.map(partial(judge, knows=knows), cases), strict=True))
            name = "input" if knows is None else f"knows voices {knows:.0f} %"
            line(name, [[found[c] for c in cases if c[2] == snr] for snr in SNRS_DB])
            if knows is not None:
                by_setting[knows] = found
        if 0.0 in by_setting and len(by_setting) > 1:
            before, after = by_setting[0.0], by_setting[settings[-1]]
            for what, of in (("PESQ", lambda one: one[0].pesq), ("SIG", lambda one: one[2])):
                case = min(cases, key=lambda one: of(after[one]) - of(before[one]))
                print(
                    f"\nworst {what}: {of(after[case]) - of(before[case]):+.2f} beside 0 %, {case}"
                )
            print(
                "\n| noise | PESQ, 0 % | PESQ | STOI, 0 % | STOI | SIG, 0 % | SIG |\n|---|---|---|---|---|---|---|"
            )
            for kind, snr in product(NOISES, SNRS_DB):
                some = [c for c in cases if c[1:] == (kind, snr)]
                cells = [
                    f"{np.mean([of(one[c]) for c in some]):.3f}"
                    for of in (lambda x: x[0].pesq, lambda x: x[0].stoi, lambda x: x[2])
                    for one in (before, after)
                ]
                print(f"| {kind}, {snr} dB | {' | '.join(cells)} |")
        print(
            "\n| knows voices | keys between words | under words | clicks under words | lost of the voice | keyboard under words, 5 / 20 dB | "
            "lost of the voice | clean: PESQ, level |"
        )
        print("|---|---|---|---|---|---|---|---|")
        for knows in settings:
            keys_found = np.mean(list(pool.map(partial(keys_of, knows=knows), FOLDERS)), axis=0)
            strokes = [
                np.mean(
                    list(pool.map(partial(strokes_of, knows=knows, snr_db=snr), FOLDERS)), axis=0
                )
                for snr in SNRS_DB
            ]
            clean = np.array(list(pool.map(partial(clean_of, knows=knows), FOLDERS)))
            between, under, clicks, lost = keys_found
            print(
                f"| {knows:.0f} % | −{between:.1f} dB | −{under:.1f} dB | −{clicks:.1f} dB | {lost:.2f} dB "
                f"| −{strokes[0][0]:.1f} / −{strokes[1][0]:.1f} dB | {strokes[0][1]:.2f} / {strokes[1][1]:.2f} dB "
                f"| {clean[:, 0].min():.2f}, {clean[:, 1].min():+.2f} dB |",
                flush=True,
            )


if __name__ == "__main__":
    main()
