"""What the audio process does with each block: no clock and no socket here, so that it can be driven
by a test or a benchmark as well as by time."""

import time

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.graph.band_alone import BandAlone
from goshawk.core.graph.chain import STAGES, warm_up_stage
from goshawk.core.graph.mixer import Mixer
from goshawk.core.graph.stations import KEPT, STAGE_SIDES, at_stage, came, kept_sounds
from goshawk.core.graph.taken_alone import By, TakenAlone
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.observed.reach import voices_now
from goshawk.core.rig import BlockFrames, Rig, changed_together
from goshawk.core.routing import FEEDS, CallServiceSettings, FeedName
from goshawk.core.stage import Block, Floats, Glide, glide
from goshawk.core.steps import StepProgram
from goshawk.core.who_hears import replay_gain
from goshawk.devices.catalog import STAND_IN_OUTPUTS
from goshawk.devices.inserts import Inserts, warm_up_inserts
from goshawk.devices.outlets import Outlets, warm_up_outlets
from goshawk.devices.rack import Rack
from goshawk.engine.aloud import Aloud
from goshawk.engine.click import ClickTrial
from goshawk.engine.kept import SoundCopy
from goshawk.engine.plan import BAND, LISTEN, TAKEN, Plan
from goshawk.engine.plan_maker import MAX_FRAMES, Made, make
from goshawk.timeline.readings import EngineReading, EngineReadings
from goshawk.timeline.sound import SoundWriter
from goshawk.units import frames_to_ms


@kernel
def _scale(
    block: Block, out: Block, now: Floats, between: Floats, target: Floats, a: float
) -> None:
    for n in range(block.shape[0]):
        glide(now, between, target, a)
        for c in range(block.shape[1]):
            out[n, c] = np.float32(block[n, c] * now[0])


class AudioLoop:
    """Devices and mixer of one plan."""

    def __init__(self, plan: Plan) -> None:
        self.rack = Rack(MAX_FRAMES)
        self.outlets = Outlets(MAX_FRAMES, STAND_IN_OUTPUTS, self.rack.computer.now_ns)
        self._outlets_version = (-1, -1)
        self._click = ClickTrial(self.rack, self.outlets, MAX_FRAMES)
        self.inserts = Inserts(MAX_FRAMES, self.rack.computer)
        self.aloud = Aloud()
        self._inserts_version = (-1, -1)
        self._bands: dict[str, BandAlone] = {}
        self._takens: dict[str, TakenAlone] = {}
        self._kept: dict[str, SoundCopy] = {}
        self._frames_now = 0
        self._read_from: set[str] = set()
        self._rehearsal = np.zeros((MAX_FRAMES, 2), np.float32)
        self._silence = np.zeros((MAX_FRAMES, 2), np.float32)
        self._yours = np.zeros((MAX_FRAMES, 2), np.float32)
        self._rehearsal_gain = Glide(1)
        self._publishing = StepProgram().finish()
        self._publishing_version = (-1, -1)
        self._written_singly: list[str] = []
        self.plan = Plan(rig=plan.rig)
        self.rack.apply(plan.rig)
        self._lead_out(Plan(rig=plan.rig))
        self._mixer = Mixer(plan.rig, MAX_FRAMES, time.perf_counter)
        self._warm_up()
        self._rehearsal_gain.set(1.0)
        self.start_trouble = self.obey(plan)
        """Sentences for what of the first plan could not be done."""
        self._mixer.settle()
        self._first_frame = 0
        self._session = 1

    @property
    def rig(self) -> Rig:
        return self.plan.rig

    @property
    def block_frames(self) -> BlockFrames:
        return self.plan.rig.block_frames

    @property
    def clock_ppm(self) -> float | None:
        """By how much the device runs faster whose clock is to be followed; None if none is, or it does not run."""
        device = self.rig.clock_device
        if not device:
            return None
        capture = self.rack.computer.captures.get(device)
        if capture is not None:
            return capture.clock_ppm
        return self.outlets.clock_ppm(device)

    def begin(self, writer: SoundWriter, session: int) -> None:
        """What is heard from now on has its place on the timeline."""
        self._first_frame, self._session = writer.frame, session
        writer.offer(self.offered)

    def pass_over(self, frames: int) -> None:
        """So many frames of the timeline, whole hops, were not made: what comes has later numbers."""
        self._first_frame += frames

    @property
    def frames(self) -> int:
        """The number of the next frame on the timeline."""
        return self._first_frame + self._mixer.frames

    @property
    def offered(self) -> list[str]:
        """The sounds that are written for others: what every reader may need, and where somebody listens."""
        main = [came(self.rig.chained)] if self.rig.voice else []
        return list(dict.fromkeys([*kept_sounds(self.rig), *main, *FEEDS, *self.plan.points]))

    def obey(self, plan: Plan) -> list[str]:
        """Make what a plan needs, and take it over. Returns sentences for what could not be done: the sound goes on
        without it."""
        return self.take_over(make(plan, self.plan))

    def take_over(self, made: Made) -> list[str]:
        """Take a plan that is made, after all that were made before it, between two blocks. What is to be shut comes
        first."""
        plan, old, self.plan = made.plan, self.plan, made.plan
        mixer = self._mixer
        if plan.is_coughing != old.is_coughing:
            mixer.cough(plan.is_coughing)
        if plan.rig is not old.rig:
            mixer.apply(plan.rig, made.parts)
            self.rack.apply(plan.rig)
        self._lead_out(plan)
        if plan.held_db != old.held_db:
            mixer.set_held(plan.held_db)
        if made.file is not None:
            self.rack.set_file(made.file)
        if plan.loop != old.loop:
            mixer.set_loop(made.loop)
        if plan.replay != old.replay:
            mixer.set_replay(made.replay)
        if plan.loop and (plan.loop, plan.comparing) != (old.loop, old.comparing):
            comparing = plan.comparing
            mixer.compare(comparing.heard, comparing.gain_db, comparing.other, made.parts)
        self._rehearsal_gain.set(replay_gain(plan.rig, plan.replay_gain_db))
        self.rack.is_watched = plan.is_watching
        parts = [point.split(":") for point in plan.points]
        mixer.watch(frozenset(one[1] for one in parts if one[0] in (*STAGE_SIDES, BAND, TAKEN)))
        bands = [point for point in plan.points if point.startswith(f"{BAND}:")]
        self._bands = {name: self._bands.get(name) or BandAlone(MAX_FRAMES) for name in bands}
        takens = [point for point in plan.points if point.startswith(f"{TAKEN}:")]
        self._takens = {name: self._takens.get(name) or TakenAlone(MAX_FRAMES) for name in takens}
        tracks = [point for point in plan.points if point.startswith(f"{KEPT}:")]
        self._kept = {name: self._kept.get(name) or SoundCopy(MAX_FRAMES) for name in tracks}
        return made.trouble

    def _lead_out(self, plan: Plan) -> None:
        """What of the computer's devices a plan needs, and where everything leaves."""
        self.rack.apply_computer(plan.rig, plan.virtual, plan.watched, plan.cards_round)
        self.outlets.apply(plan.rig.outputs, self.rack.computer.output)

    def apply(self, rig: Rig) -> None:
        """Take a new rig; all else stays."""
        self.obey(self.plan.model_copy(update={"rig": rig}))

    def send_click(self) -> None:
        """Send a click through, to measure the delay to every feed."""
        self._mixer.let_clicks_pass(True)
        self._click.start()

    def _warm_up(self) -> None:
        """Compile every kernel now, rather than in the first live block: those, too, that run only when
        something changes or a device's switch is on."""
        for name in STAGES:
            warm_up_stage(name)
        warm_up_outlets(MAX_FRAMES)
        warm_up_inserts(MAX_FRAMES)
        SoundCopy(64).step(np.ones(1)).load()
        Aloud.warm_up(self._mixer.feed("you", 64))
        self.rack.browser.push(44_100, np.zeros((8000, 2), np.float32))
        self.send_click()
        everything_on = {
            "feeds.you.output": "loudspeakers",
            **{f"devices.call_service.{name}": True for name in CallServiceSettings.model_fields},
            **{f"inputs.{one.id}.channels": "stereo" for one in self.rig.inputs},
        }
        rig = self.rig
        for one in (rig, changed_together(rig, everything_on), rig):
            self.obey(self.plan.model_copy(update={"rig": one, "is_watching": True}))
            for _ in range(4):
                self.run_block()
        self._mixer.set_loop(np.zeros((4800, 2), np.float32))
        self._mixer.compare("raw", 0.0, rig.chain)
        self.run_block()
        self._mixer = Mixer(rig, MAX_FRAMES, time.perf_counter)
        self._mixer.set_replay(
            {one.id: np.zeros((4800, 2), np.float32) for one in rig.inputs}, at_once=True
        )
        self.run_block()
        self._mixer.take_readings()
        self._click.forget()
        self._mixer.let_clicks_pass(False)
        self.rack.browser.stop()
        self.plan = Plan(rig=rig)
        self.rack.is_watched = False
        self._mixer = Mixer(rig, MAX_FRAMES, time.perf_counter)
        # What was arranged for the mixer before says nothing of this one.
        self._outlets_version = self._publishing_version = self._inserts_version = (-1, -1)

    @property
    def longest_frames(self) -> int:
        """The largest block by which sound may pass while a test hurries it, with the same result: MAX_FRAMES, but only
        the rig's where something comes back a block later, or a device runs by a clock of its own."""
        devices, feeds = self.rig.devices, self.rig.feeds
        comes_back = feeds.you.output == "loudspeakers" or devices.call_service.sends_back
        if (
            comes_back
            or self._click.is_running
            or not self.rack.runs_by_our_clock(self._mixer.devices)
        ):
            return self.block_frames
        return MAX_FRAMES

    @property
    def may_run_ahead(self) -> bool:
        """Whether a block may be made one block early. It may not while a device of the computer or a page's microphone is read or
        played to: its sound is not there yet."""
        return not self.rack.computer.is_used and "browser" not in self._read_from

    def run_block(self, frames: int | None = None, *, is_late: bool = False) -> None:
        """Read every device, mix, and give the feeds to the outputs: the rig's block, or so many ``frames``."""
        frames = self._frames_now = frames or self.block_frames
        mixer = self._mixer
        self._read_from = mixer.devices
        came = self.rack.read(frames, self._read_from)
        self.inserts.before(frames)
        mixer.process(came, frames)
        inserts_version = mixer.version, self.rack.computer.version
        if inserts_version != self._inserts_version:
            self._inserts_version = inserts_version
            self.inserts.arrange(mixer.inserts())
        self.inserts.after(frames)
        if self._click.is_running:
            voice = self.rig.voice
            self._click.listen(frames, voice.device if voice else "", mixer.feed)
            if not self._click.is_running:
                mixer.let_clicks_pass(False)
        self.aloud.add_to(mixer.feed("you", frames))
        self._make_yours(frames)
        version = mixer.version, self.outlets.version
        if version != self._outlets_version:
            self._outlets_version = version
            self.outlets.arrange(self._leaving)
        self.outlets.run(frames)
        gets = [self.outlets.sums[name][:frames] for name in STAND_IN_OUTPUTS]
        self.rack.play(*gets, is_late=is_late)

    def _leaving(self, source: str) -> tuple[Block, Floats]:
        """Where an output's source is to be found (see ``Mixer.leaving``): yours is what you get."""
        block, may_leave = self._mixer.leaving(source)
        return (self._yours, may_leave) if source == "you" else (block, may_leave)

    def _make_yours(self, frames: int) -> None:
        """What you get: your feed, or, while recorded inputs play, what viewers would have got."""
        yours = self._mixer.feed("you", frames)
        kept_back = self._mixer.kept_back(frames)
        if kept_back is None:
            self._yours[:frames] = yours
            return
        block, g = self._rehearsal[:frames], self._rehearsal_gain
        _scale(self._mixer.rehearsed(frames), block, g.now, g.between, g.target, g.coefficient)
        block *= kept_back
        block += yours
        self._yours[:frames] = block

    def sound(self, name: str) -> tuple[Block, int]:
        """One of the ``offered`` in the last block, and by how many frames it is later than at its device (see
        ``Mixer.sound``). Whoever listens at a feed hears recorded inputs while they play."""
        kind, _, item = name.partition(":")
        if kind == BAND:
            return self._band(name, *item.partition(":")[::2])
        if kind == TAKEN:
            return self._taken(name, *item.partition(":")[::2])
        if kind != LISTEN:
            return self._mixer.sound(name, self._frames_now)
        if self._mixer.is_replaying:
            return self._rehearsal[: self._frames_now], 0
        return self._mixer.sound(item, self._frames_now)

    def _band(self, name: str, stage_id: str, band: str) -> tuple[Block, int]:
        """One band of an EQ alone; all of what leaves the stage if it is no EQ."""
        sound, late = self._mixer.sound(at_stage("after", stage_id), self._frames_now)
        found = self.rig.stage(stage_id)
        if found is None or found[1].stage != "eq":
            return sound, late
        return self._bands[name].process(found[1].settings, band, sound), late

    def _taken(self, name: str, stage_id: str, by: str) -> tuple[Block, int]:
        """What a suppressor takes by one kind of knowledge; nothing if the stage is none, or does nothing."""
        before, _ = self._mixer.sound(at_stage("before", stage_id), self._frames_now)
        after, late = self._mixer.sound(at_stage("after", stage_id), self._frames_now)
        found = self.rig.stage(stage_id)
        if found is None or found[1].stage != "suppressor" or found[1].is_bypassed:
            return self._silence[: self._frames_now], late
        taken = self._takens[name]
        side: By = "room" if by == "room" else "voices"
        return taken.process(found[1].settings, side, before, after), late + taken.latency_frames

    def publish(self, writer: SoundWriter) -> None:
        """Write the last block of every sound that is offered."""
        version = self._mixer.version, writer.version
        if version != self._publishing_version:
            self._publishing_version = version
            self._arrange(writer)
        self._publishing.run(self._frames_now)
        for name in self._written_singly:
            writer.write(name, *self.sound(name))
        writer.finish(self._frames_now)

    def _arrange(self, writer: SoundWriter) -> None:
        """How each sound is written: by one program, but for what has to be made first."""
        self._publishing = StepProgram()
        self._written_singly = []
        for name in writer.names:
            kept = self._kept.get(name)
            if kept:
                source = name.partition(":")[2]
                block, may_leave = self._mixer.leaving(source)
                late = (self._mixer.place(source) or (block, 0))[1]
                self._publishing.add(block, kept.step(may_leave))
                self._publishing.add(kept.block, writer.step(name, late))
                continue
            place = self._mixer.place(name)
            if place is None:
                self._written_singly.append(name)
            else:
                self._publishing.add(place[0], writer.step(name, place[1]))
        self._publishing.finish()

    def _ledgers(self) -> dict[FeedName, list[tuple[str, float]]]:
        """Name and ms of everything between the air and each listener, in order."""
        voice = self.rig.voice
        coming = self.rack.latency_parts(voice.device) if voice else []
        block_out = [("out, one block", frames_to_ms(self.block_frames))]
        return {
            feed: [
                *coming,
                *((name, frames_to_ms(frames)) for name, frames in self._mixer.ledger(feed)),
                *(self.outlets.latency_parts(feed) or block_out),
            ]
            for feed in FEEDS
        }

    def take_readings(self, engine: EngineReading) -> EngineReadings:
        """The mixer's readings, how the devices do, the delays, and a delay that was measured."""
        mixed = self._mixer.take_readings()
        mixed.end_frame += self._first_frame
        mixed.first_hop += self._first_frame // HOP_FRAMES
        self.inserts.look()
        outputs = self.outlets.readings()
        playing = {name for name, one in outputs.items() if one["state"] == "playing"}
        return EngineReadings(
            **{name: getattr(mixed, name) for name in mixed.__struct_fields__},
            plan=self.plan.number,
            session=self._session,
            ledgers=self._ledgers(),
            devices=self.rack.statuses(),
            outputs=outputs,
            encoder=self.rack.encoder.status(),
            measured_delay_ms=self._click.take(),
            voices=voices_now(mixed.inputs, self.rig, playing, is_replaying=mixed.is_replaying),
            engine=engine,
        )
