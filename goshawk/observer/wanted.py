"""What is wanted of the observer now: one frozen, numbered document.

The web process makes it in one place (``web/observer_document.py``) from what is set and looked at. Whatever the observer measured
before counts as long as the document does not say otherwise: a new observer begins with the same document, and has measured
nothing. Counts (``..._count``) say that something happened of which older measurements know nothing. Models of the core travel as
their JSON."""

import msgspec


class Learning(msgspec.Struct, frozen=True):
    """A room that is learned for a suppressor; the number tells one try from the next."""

    run: int
    stage_id: str


class OtherChain(msgspec.Struct, frozen=True):
    """A chain (JSON) to compare the loop with, as chain B."""

    chain: bytes
    name: str


class OnAir(msgspec.Struct, frozen=True):
    """A broadcast that is watched over: where on the timeline its second 0 is (before the timeline's own beginning, if it was gone on
    with), and the events that the user has dismissed, by their numbers."""

    id: str
    began_frame: int
    dismissed: tuple[int, ...] = ()


class Shown(msgspec.Struct, frozen=True):
    """What pages look at: stages' spectra, inputs' chains, Balance, the checklist; and whether there are pages at all."""

    stages: tuple[str, ...] = ()
    chains: tuple[str, ...] = ()
    is_balance: bool = False
    is_checklist: bool = False
    has_pages: bool = False


class ObserverWanted(msgspec.Struct, frozen=True, kw_only=True, tag=True):
    """All of it. ``rig`` is set; ``tried`` (values by their paths, JSON) is heard over it while somebody drags."""

    number: int
    rig: bytes
    tried: bytes | None = None
    computer: bytes = b"{}"
    """The computer's devices and programs."""
    shown: Shown = Shown()
    learning: Learning | None = None
    other: OtherChain | None = None
    kept_check: bytes | None = None
    """The sound check that is in use."""
    on_air: OnAir | None = None
    trims_taken: dict[str, int] = {}
    """How often what a hold had added to an input was taken into its trim."""
    loudness_count: int = 0
    """How often the count of the loudness was begun anew."""
    fault_count: int = 0
    """How often a device was made to go wrong."""
    click_count: int = 0
    """How often a delay was measured."""


class Resumed(msgspec.Struct, frozen=True):
    """How far the broadcast was when an observer is started: its last event, and its figures as they were put down."""

    broadcast: str
    last_event: int
    meter: bytes


class Begin(msgspec.Struct, tag=True):
    """The first message: where sound may lie, the takes there are (JSON), what was measured of a broadcast, and what is wanted."""

    takes_folder: str
    work_folder: str
    takes: bytes
    wanted: ObserverWanted
    resumed: Resumed | None = None
