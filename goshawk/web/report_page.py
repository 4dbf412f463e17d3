"""The report of an evening as one page that needs nothing else: figures, lanes as drawings, what happened, what was changed, what to do
next time. It has no script, and prints well."""

from collections.abc import Iterator
from html import escape
from typing import Any

from goshawk.core.text.figures import clock, minus, times
from goshawk.core.watch.lane import Lane, lanes_of
from goshawk.core.watch.report import Evening, changes_in_words, shares_of
from goshawk.core.watch.second import BroadcastHistory
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.colors import DAYLIGHT

WIDTH, HEIGHT = 860, 70
POINTS = 430

_STYLE = """
:root {{ color-scheme: light; }}
body {{ font: 15px/1.5 "Atkinson Hyperlegible", system-ui, sans-serif; color: {text}; background: {ground}; margin: 0 auto;
  max-width: 900px; padding: 24px 20px; }}
h1 {{ font-size: 26px; margin: 0; }} h2 {{ font-size: 18px; margin: 28px 0 8px; }} p {{ margin: 4px 0; }}
.quiet {{ color: {quiet}; }} .over {{ color: {over}; font-weight: 600; }}
dl {{ display: grid; grid-template-columns: repeat(4, 1fr); gap: 10px; margin: 16px 0; }}
dt {{ color: {quiet}; font-size: 13px; }} dd {{ margin: 0; font-size: 22px; font-weight: 600; font-variant-numeric: tabular-nums; }}
table {{ border-collapse: collapse; width: 100%; }} td, th {{ text-align: left; padding: 4px 10px 4px 0; vertical-align: top;
  border-top: 1px solid {line}; font-variant-numeric: tabular-nums; }} figure {{ margin: 8px 0; }} figcaption {{ font-weight: 600; }}
svg {{ width: 100%; height: auto; display: block; background: {panel}; }}
@media print {{ body {{ background: none; padding: 0; }} figure, tr {{ break-inside: avoid; }} }}
""".format(**DAYLIGHT)


def _figure(value: float | None, unit: str, digits: int = 1) -> str:
    return "–" if value is None else f"{minus(value, digits)} {unit}".strip()


def _line(values: list[float | None], lane: Lane) -> str:
    colour = DAYLIGHT[lane.hue]

    def y(value: float) -> float:
        held = min(lane.high, max(lane.low, value))
        return HEIGHT * (1.0 - (held - lane.low) / (lane.high - lane.low))

    parts: list[str] = []
    line: list[str] = []
    for n, value in enumerate([*values, None]):
        if value is not None:
            line.append(f"{n / max(1, len(values) - 1) * WIDTH:.1f},{y(value):.1f}")
        elif line:
            parts.append(
                f'<polyline points="{" ".join(line)}" fill="none" stroke="{colour}" stroke-width="1.5"/>'
            )
            line = []
    top, bottom = y(lane.band_high), y(lane.band_low)
    shade = f'<rect x="0" y="{top:.1f}" width="{WIDTH}" height="{bottom - top:.1f}" fill="{colour}" opacity="0.13"/>'
    return f'<svg viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-hidden="true">{shade}{"".join(parts)}</svg>'


def _bar(values: list[float | None], colour: str) -> str:
    step = WIDTH / max(1, len(values))
    boxes = "".join(
        f'<rect x="{n * step:.1f}" y="2" width="{step + 0.3:.1f}" height="12" fill="{colour}"/>'
        for n, value in enumerate(values)
        if value is not None and value > 0.25
    )
    return f'<svg viewBox="0 0 {WIDTH} 16" role="img" aria-hidden="true">{boxes}</svg>'


def page_of(evening: Evening, history: BroadcastHistory) -> str:
    """The page, as HTML."""
    rig, figures, shares = evening.rig, evening.figures, shares_of(history)
    lanes = history.lanes(0, max(1, history.seconds), POINTS)
    started, ended = (evening.utc_at(at_s).astimezone() for at_s in (0.0, evening.seconds))
    head = [
        f"<h1>{escape(evening.title)}</h1>",
        f'<p class="quiet">Live from {started:%Y-%m-%d %H:%M} to {ended:%H:%M}, {clock(evening.seconds)} in all'
        f"{' (interrupted)' if evening.was_cut else ''}; rig {escape(rig.name)}.</p>",
        f"<p>{escape(evening.note)}</p>" if evening.note else "",
    ]
    game = next((one.name for one in rig.inputs if one.role == "game"), "game")
    cells = (
        ("Loudness", _figure(figures.loudness_lufs, "LUFS")),
        ("Highest true peak", _figure(figures.true_peak_dbtp, "dBTP")),
        (f"Voice above {game}", _figure(figures.clearance_db, "dB")),
        ("Intelligibility", _figure(figures.intelligibility, "", 2)),
        ("Voice peaks", _figure(evening.voice_peaks_dbfs, "dBFS")),
        ("Speech time", clock(evening.speech_s)),
        ("Heard by viewers", _share(shares.viewers)),
        ("Heard by the call", _share(shares.call)),
    )
    grid = "".join(f"<div><dt>{escape(name)}</dt><dd>{value}</dd></div>" for name, value in cells)
    drawn = []
    for lane in lanes_of(rig):
        values = lanes.means.get(lane.column)
        if values is not None:
            wanted = f' <span class="quiet">{escape(lane.wanted)}</span>' if lane.wanted else ""
            picture = _bar(values, DAYLIGHT[lane.hue]) if lane.is_share else _line(values, lane)
            drawn.append(
                f"<figure><figcaption>{escape(lane.name)}{wanted}</figcaption>{picture}</figure>"
            )
    body = "".join(
        (
            *head,
            f"<dl>{grid}</dl>",
            "<h2>Next time</h2>",
            _list(evening.advice) or "<p>Nothing to change.</p>",
            "<h2>Timeline</h2>",
            *drawn,
            f'<p class="quiet">0:00:00 on the left, {clock(evening.seconds)} on the right.</p>',
            "<h2>Events</h2>",
            _happened(evening),
            "<h2>Changes during the broadcast</h2>",
            _changed(evening),
        )
    )
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(evening.title)}</title>'
        f'<meta name="viewport" content="width=device-width"><style>{_STYLE}</style></head><body><main>{body}</main></body></html>'
    )


def _share(share: float | None) -> str:
    return "–" if share is None else f"{share * 100:.0f} %"


def _list(lines: list[str]) -> str:
    items = "".join(f"<li>{escape(one)}</li>" for one in lines)
    return f"<ul>{items}</ul>" if items else ""


def _happened(evening: Evening) -> str:
    rows: list[tuple[float, str]] = []
    for one in evening.events:
        ended = evening.seconds if one.ended_s is None else one.ended_s
        often = f", {times(one.count)}" if one.count > 1 else ""
        rows.append(
            (
                one.began_s,
                f'<td>{clock(one.began_s)}</td><td>{ended - one.began_s:.1f} s{often}</td><td><span class="over">▲ '
                f"{escape(one.title)}</span><br>{escape(one.text)} {escape(one.help)}</td>",
            )
        )
    for mark in evening.marks:
        at_s = mark.frame / SAMPLE_RATE_HZ
        who = "your mark" if mark.by == "you" else "mark by Goshawk"
        rows.append((at_s, f"<td>{clock(at_s)}</td><td></td><td>▸ {escape(mark.name or who)}</td>"))
    lines = "".join(f"<tr>{cells}</tr>" for _, cells in sorted(rows, key=lambda row: row[0]))
    return f"<table>{lines}</table>" if lines else "<p>None.</p>"


def _changed(evening: Evening) -> str:
    lines = "".join(
        f"<tr><td>{clock(one.at_s)}</td><td>{'<br>'.join(map(escape, one.lines))}</td></tr>"
        for one in changes_in_words(evening)
    )
    return f"<table>{lines}</table>" if lines else "<p>None.</p>"


def rows_of(evening: Evening, history: BroadcastHistory) -> Iterator[list[Any]]:
    """Every second as a row: when it was (UTC), then what is known of it; the first row names the columns."""
    names = history.columns
    yield ["second", "utc", *names]
    values = [history.column(name) for name in names]
    for n in range(history.seconds):
        row = ["" if one[n] != one[n] else round(float(one[n]), 2) for one in values]
        yield [n, evening.utc_at(n).isoformat(), *row]
