"""Rigs that an older version saved, brought to the present shape step by step."""

import json
from typing import Any

from goshawk.core.chain_slots import background_chain
from goshawk.core.rig import RIG_VERSION, Rig, Targets
from goshawk.core.routing import FeedSettings, default_inputs
from goshawk.core.settings import visible


def _to_2(old: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had one microphone, game and music, each with one way to the viewers, and chose the
    microphone's channel in the trim."""
    microphone = old.pop("microphone", {})
    file = {name: microphone[name] for name in ("file_id", "is_looped") if name in microphone}
    attic = {
        name: microphone[name] for name in ("performance", "preamp_gain_db") if name in microphone
    }
    voice, game, music, copilot = (one.model_dump(mode="json") for one in default_inputs())
    voice["device"] = microphone.get("source", "attic")
    for slot in old.get("chain", []):
        if slot.get("stage") == "trim":
            voice["channels"] = slot.get("settings", {}).pop("channel", "left")
    for one, was, level in ((voice, "voice", "fader_db"), (game, "game", "trim_db")):
        _take_strip(one, old.pop(was, {}), level)
    _take_strip(music, old.pop("music", {}), "trim_db")
    for name in ("viewers", "archive"):  # Nobody heard a caller before there was one.
        copilot["sends"][name]["is_heard"] = False
    viewers = old.pop("viewers", {})
    return {
        **old,
        "version": 2,
        "devices": {"attic": attic, "file": file},
        "inputs": [voice, game, music, copilot],
        "chained": "voice",
        "feeds": {"viewers": viewers},
    }


def _take_strip(one: dict[str, Any], was: dict[str, Any], level: str) -> None:
    one["fader_db"] = was.get(level, 0.0)
    one["is_muted"] = was.get("is_muted", False)


def _to_3(old: dict[str, Any]) -> dict[str, Any]:
    """Version 2 let the voice's target stand above the viewers' ceiling."""
    viewers = old.get("feeds", {}).get("viewers", {})
    ceiling = viewers.get("ceiling_dbtp", FeedSettings().ceiling_dbtp)
    targets = dict(old.get("targets", {}))
    wanted = targets.get("voice_peaks_dbfs", Targets().voice_peaks_dbfs)
    if viewers.get("has_ceiling", True) and wanted > ceiling:
        targets["voice_peaks_dbfs"] = ceiling
    return {**old, "version": 3, "targets": targets}


def _to_4(old: dict[str, Any]) -> dict[str, Any]:
    """Version 3 had one chain, for one voice; every other input had an EQ and a ducker of its own, and what was taken
    ahead of its fader was taken ahead of them."""
    chain = [slot for slot in old.get("chain", []) if isinstance(slot, dict)]
    taken = {str(slot.get("id")) for slot in chain}
    chained = old.get("chained", "voice")
    inputs = []
    for one in old.get("inputs", []):
        one = dict(one)
        eq, ducker = one.pop("eq", {}), dict(one.pop("ducker", {}))
        if one.get("id") == chained:
            one["chain"], one["preset_id"] = chain, old.get("preset_id", "")
        else:
            is_on = ducker.pop("is_on", False)
            names = [slot.id for slot in background_chain(str(one.get("id")), taken)]
            taken |= set(names)
            one["chain"] = [
                {"id": names[0], "stage": "eq", "settings": eq},
                {"id": names[1], "stage": "ducker", "is_bypassed": not is_on, "settings": ducker},
            ]
            one["sends"] = {
                feed: {**send, "tap": "as_it_came"}
                if isinstance(send, dict) and send.get("tap") == "before_fader"
                else send
                for feed, send in dict(one.get("sends", {})).items()
            }
        inputs.append(one)
    kept = {name: value for name, value in old.items() if name not in ("chain", "preset_id")}
    return {**kept, "version": 4, "inputs": inputs}


_STEPS = {1: _to_2, 2: _to_3, 3: _to_4}


def read_rig(text: str | bytes) -> Rig:
    """A saved rig of this or an older version. Raises ValidationError or ValueError."""
    document = json.loads(text)
    if not isinstance(document, dict):
        raise ValueError("it is no rig")
    while (version := document.get("version", 1)) < RIG_VERSION:
        document = _STEPS[version](document)
    _make_names_visible(document)
    return Rig.model_validate(document)


def _make_names_visible(document: dict[str, Any]) -> None:
    """Names could once hold characters that cannot be seen: they are left out, so that the rig still opens."""
    inputs = document.get("inputs")
    named = [document, *(inputs if isinstance(inputs, list) else [])]
    for number, one in enumerate(named):
        name = one.get("name") if isinstance(one, dict) else None
        if isinstance(name, str) and visible(name) != name.strip():
            one["name"] = visible(name) or f"Unnamed {number}"
