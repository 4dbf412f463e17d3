"""Judge the suppressor on every voice and noise: python -m tools.measure_suppressor

Prints the table of docs/measurements.md. Takes some minutes.
"""

from concurrent.futures import ProcessPoolExecutor
from functools import partial
from itertools import product

import numpy as np

from goshawk.core.dsp.suppressor import SuppressorSettings
from tests.judge import judged, room_of, score, spoken, suppressed
from tests.material import NOISES, RATE_HZ, VOICES, clatter_fall_db, noise

SNRS_DB = (5, 10, 20)
Case = tuple[str, str, int, bool]


def one(case: Case) -> tuple[float, ...]:
    voice, noise_name, snr_db, is_learned = case
    before, after = judged(voice, noise_name, snr_db, is_learned=is_learned)
    return (before.pesq, before.stoi, after.pesq, after.stoi, after.pauses_db)


def main() -> None:
    print("| SNR | room | input PESQ / STOI | output PESQ / STOI | noise in pauses |")
    print("|---|---|---|---|---|")
    with ProcessPoolExecutor() as pool:
        for is_learned, snr_db in product((True, False), SNRS_DB):
            cases = [(v, n, snr_db, is_learned) for v in VOICES for n in NOISES]
            b_pesq, b_stoi, pesq, stoi, fell = np.mean(list(pool.map(one, cases)), axis=0)
            room = "learned" if is_learned else "followed"
            print(
                f"| {snr_db} dB | {room} | {b_pesq:.2f} / {b_stoi:.3f} | {pesq:.2f} / {stoi:.3f} "
                f"(+{pesq - b_pesq:.2f} / {stoi - b_stoi:+.3f}) | −{fell:.1f} dB |",
                flush=True,
            )
    print(
        "\n| voice | clean, PESQ | keys between words | clicks between words | clicks under words |"
    )
    print("|---|---|---|---|---|")
    for voice in VOICES:
        clean = spoken(voice)
        fan = noise("fan", len(clean) / RATE_HZ)[: len(clean)] * 10 ** (-66 / 20)
        treat = partial(suppressed, settings=SuppressorSettings(room=room_of(fan)))
        heard = suppressed(clean, SuppressorSettings())
        falls = [clatter_fall_db(clean + fan, clean, treat, kind) for kind in ("keys", "clicks")]
        print(
            f"| {voice} | {score(clean, clean, heard).pesq:.2f} | −{falls[0][0]:.0f} dB "
            f"| −{falls[1][0]:.0f} dB | −{falls[1][1]:.1f} dB |",
            flush=True,
        )


if __name__ == "__main__":
    main()
