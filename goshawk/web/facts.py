"""What pages say or draw of the rules' own figures: each has its one home in the core, and goes to the browser's code by
way of the OpenAPI document."""

from dataclasses import asdict
from typing import Any

from goshawk.core.chain_slots import STAGE_LABELS
from goshawk.core.dsp.zones import ZONES
from goshawk.core.feeds import FEED_LABELS
from goshawk.core.measure.intelligibility import GOOD_SII
from goshawk.core.rules.balance import HOLD_RANGE_DB
from goshawk.core.rules.wiring.lips import SOUND_EARLIER_MS, SOUND_LATER_MS
from goshawk.units import CLIPPED_DBFS
from goshawk.web.colors import DAYLIGHT, DUSK


def colors() -> dict[str, dict[str, str]]:
    """Of both themes, by their names."""
    return {"dusk": DUSK, "daylight": DAYLIGHT}


def facts() -> dict[str, Any]:
    """By the name that the browser's code gives them."""
    return {
        "STAGE_LABELS": STAGE_LABELS,
        "FEED_LABELS": FEED_LABELS,
        "VOICE_ZONES": [asdict(zone) for zone in ZONES],
        "CLIPPED_DBFS": CLIPPED_DBFS,
        "HOLD_RANGE_DB": HOLD_RANGE_DB,
        "GOOD_SII": GOOD_SII,
        "SOUND_LATER_MS": SOUND_LATER_MS,
        "SOUND_EARLIER_MS": SOUND_EARLIER_MS,
    }
