"""Sets of targets for what a streamer does. Clearances are this project's starting points: enough for words to be
followed by ear over the kinds of sound named, to be moved by whoever listens."""

from pydantic import BaseModel

from goshawk.core.rig import Rig, Targets


class TargetSet(BaseModel):
    """Targets under a name, and when to choose them."""

    id: str
    name: str
    when: str
    targets: Targets


TARGET_SETS: tuple[TargetSet, ...] = (
    TargetSet(
        id="even",
        name="Story and game",
        when="You talk most of the time, and the game is followed too. Where everybody begins.",
        targets=Targets(),
    ),
    TargetSet(
        id="talk",
        name="Talk over a light background",
        when="A chat or a reading: game and music are there, and no word is lost.",
        targets=Targets(
            game_clearance_db=18.0,
            music_clearance_db=22.0,
            call_clearance_db=3.0,
            other_clearance_db=18.0,
        ),
    ),
    TargetSet(
        id="action",
        name="Action",
        when="The game is the show. Let it dip under you while you speak.",
        targets=Targets(game_clearance_db=8.0, music_clearance_db=20.0, other_clearance_db=10.0),
    ),
    TargetSet(
        id="react",
        name="React to a video",
        when="The video's own voices must be followed in your pauses: put it on an input for the rest.",
        targets=Targets(game_clearance_db=18.0, music_clearance_db=20.0, other_clearance_db=5.0),
    ),
    TargetSet(
        id="sing",
        name="Sing along",
        when="The music carries you and stands close; the game steps back.",
        targets=Targets(game_clearance_db=20.0, music_clearance_db=6.0, other_clearance_db=14.0),
    ),
)


def chosen_set(rig: Rig) -> str:
    """The id of the set whose targets the rig has; "" if they are its own. Peaks and loudness are the rig's own in
    every set."""
    own = rig.targets
    for one in TARGET_SETS:
        if with_clearances(own, one.targets) == own:
            return one.id
    return ""


CLEARANCES = ("game_clearance_db", "music_clearance_db", "call_clearance_db", "other_clearance_db")


def with_clearances(targets: Targets, other: Targets) -> Targets:
    """Targets with the clearances of others."""
    return targets.model_copy(update={name: getattr(other, name) for name in CLEARANCES})
