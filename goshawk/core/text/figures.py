"""Numbers, counts and times as they are written in sentences."""


def minus(value: float, digits: int = 0) -> str:
    """Return a number with a true minus sign; what rounds to 0 has none."""
    return f"{round(value, digits) + 0.0:.{digits}f}".replace("-", "−")


def times(count: int) -> str:
    """Return how often: "once", "twice", "3 times"."""
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def span(seconds: float) -> str:
    """Return a length of time in its largest fitting unit: "45 s", "12 min", "2.5 h"."""
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def clock(seconds: float) -> str:
    """Return a time since the start: "1:02:03"."""
    whole = int(seconds)
    return f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"


def listed(names: list[str]) -> str:
    """Return names as a list in a sentence: "Game, Music and Call"."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
