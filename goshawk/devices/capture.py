"""Sound that comes from a device of the computer, out of the ring that its other side fills."""

from goshawk.core.device_readings import DeviceReading
from goshawk.core.dsp.clock_follower import Follower
from goshawk.core.stage import Block
from goshawk.core.steps import Integers, Step
from goshawk.devices.endpoint import Endpoint


class Capture:
    """Two channels at 48 kHz, whatever the device's clock and rate."""

    channels = 2

    def __init__(self, endpoint: Endpoint, now_ns: Integers) -> None:
        self.endpoint = endpoint
        self._now_ns = now_ns
        self._follower = self._follow()

    def _follow(self) -> Follower:
        one = self.endpoint
        return Follower(one.ring, one.rate_hz, one.target_ms, self._now_ns, is_output=False)

    def read(self, block: Block) -> None:
        self._follower.step.run(block)

    def steps(self) -> tuple[Step, ...] | None:
        return (self._follower.step,)

    def follows_anew(self) -> bool:
        """Whether the device has turned out to run at another rate: it has other steps then."""
        if self._follower.rate_hz == self.endpoint.rate_hz:
            return False
        self._follower = self._follow()
        return True

    @property
    def is_running(self) -> bool:
        """Whether sound passes."""
        return self._follower.is_running

    @property
    def clock_ppm(self) -> float | None:
        """By how much the device's clock is faster, as far as is known; None while it does not run."""
        return self._follower.clock_ppm if self._follower.is_running else None

    @property
    def latency_parts(self) -> list[tuple[str, float]]:
        """Name and ms of what lies between the air and the engine."""
        return [
            ("the device", self.endpoint.device_ms),
            ("clock follower", self._follower.latency_ms),
        ]

    def status(self) -> DeviceReading:
        one = self.endpoint
        return {
            "state": one.state if one.state != "waiting" or not one.opened else "gone",
            "said": one.said,
            "rate_hz": one.rate_hz,
            "clock_ppm": round(self._follower.clock_ppm),
            "fill_ms": round(one.ring.waiting / one.rate_hz * 1000.0, 1),
            "age_ms": round(self._follower.age_ms, 2),
            "dropouts": one.dropouts,
            "overruns": one.overruns,
        }
