"""From troubles, moment by moment, to events: what begins, is told once, and ends."""

from collections.abc import Callable
from dataclasses import dataclass, field

from goshawk.core.rig import Rig
from goshawk.core.rules.health.causes import Causes
from goshawk.core.rules.health.event import Event
from goshawk.core.rules.health.moment import Moment
from goshawk.core.rules.health.rules import RULES, HealthRule, Trouble
from goshawk.core.text.alerts import AlertText

MOST_EVENTS = 2000
"""More than this many an evening are not kept one by one: what comes back counts with its last event."""

Confirm = Callable[[HealthRule], bool]


@dataclass
class _Episode:
    """Trouble of one kind with one subject, as it goes on."""

    rule: HealthRule
    began_s: float
    last_s: float
    """Where it was seen last."""
    gathered_s: float = 0.0
    trouble: Trouble = field(default_factory=lambda: Trouble("", AlertText("", "")))
    event: Event | None = None
    is_over: bool = False


class Episodes:
    """Fed with moments. ``confirm`` looks once more at what may be something else, before it is told."""

    def __init__(
        self,
        confirm: Confirm = lambda rule: True,
        number: int = 0,
        rules: tuple[HealthRule, ...] = RULES,
    ) -> None:
        """``number`` is that of the last event there was."""
        self._confirm, self._rules = confirm, rules
        self._number = number
        self._open: dict[tuple[str, str], _Episode] = {}
        self._causes = Causes()

    @property
    def lasting(self) -> list[Event]:
        """What goes on and was told, the most important first."""
        order = {rule.name: place for place, rule in enumerate(self._rules)}
        told = [
            one.event
            for one in self._open.values()
            if one.event is not None and one.event.lasts and one.event.told_s is not None
        ]
        return sorted(told, key=lambda event: (order[event.rule], event.number))

    def push(self, moment: Moment, rig: Rig) -> list[Event]:
        """The events that have begun, changed or ended by this moment."""
        changed: dict[int, Event] = {}
        self._causes.follow(moment.at_s, rig)
        for rule in self._rules:
            for trouble in rule.look(moment, rig):
                event = self._note(rule, trouble, moment, rig)
                if event is not None:
                    changed[event.number] = event
        for event in self._end_what_is_over(moment, rig):
            changed[event.number] = event
        return list(changed.values())

    def end(self, at_s: float) -> list[Event]:
        """The evening is over: so is all that lasts."""
        found = []
        for one in self._open.values():
            if one.event is not None and one.event.lasts:
                one.event = one.event.model_copy(update={"ended_s": min(at_s, one.last_s)})
                found.append(one.event)
        self._open = {}
        return found

    def know(self, number: int) -> Event | None:
        """The user knows of an event: it is shown large no more."""
        for one in self._open.values():
            if one.event is not None and one.event.number == number:
                one.event = one.event.model_copy(update={"is_known": True})
                return one.event
        return None

    def _note(self, rule: HealthRule, trouble: Trouble, moment: Moment, rig: Rig) -> Event | None:
        key = (rule.name, trouble.subject)
        ends_s = moment.at_s + moment.seconds
        one = self._open.get(key)
        if one is None:
            began_s = self._began_s(rule, trouble, moment, rig)
            one = self._open[key] = _Episode(rule, began_s, ends_s)
        comes_back = one.is_over
        pause_s = max(0.0, moment.at_s - one.last_s)
        bridged_s = pause_s if pause_s <= rule.bridges_s else 0.0
        one.last_s = ends_s
        one.gathered_s += bridged_s + moment.seconds * trouble.share
        if trouble.badness >= one.trouble.badness:
            one.trouble = trouble
        if comes_back and one.event is not None:
            one.is_over = False
            worst = max(one.event.worst, trouble.badness)
            one.event = one.event.model_copy(
                update={"ended_s": None, "count": one.event.count + 1, "worst": worst}
            )
            return one.event
        if one.event is not None:
            return self._worsen(one)
        settings = rig.watch.rules.of(rule.name)
        if not settings.is_on or one.gathered_s < settings.patience_s - 1e-9:
            return None
        if not trouble.is_sure and not self._confirm(rule):
            del self._open[key]
            return None
        return self._begin(one, ends_s)

    def _began_s(self, rule: HealthRule, trouble: Trouble, moment: Moment, rig: Rig) -> float:
        """With the setting that made it so, or when the finding says, or now."""
        cause_s = self._causes.last_s(rule.settings(rig), moment.at_s - rule.seen_late_s)
        known_s = (cause_s, trouble.since_s, moment.at_s)
        return next(one for one in known_s if one is not None)

    def _ended_s(self, one: _Episode, rig: Rig) -> float:
        """With the setting that mended it, or where it was seen last."""
        since_s = max(one.began_s, one.last_s - one.rule.seen_late_s)
        cause_s = self._causes.last_s(one.rule.settings(rig), since_s)
        return one.last_s if cause_s is None or cause_s <= one.began_s else min(one.last_s, cause_s)

    def _begin(self, one: _Episode, told_s: float) -> Event | None:
        if self._number >= MOST_EVENTS:
            return None
        self._number += 1
        trouble = one.trouble
        one.event = Event(
            number=self._number,
            rule=one.rule.name,
            subject=trouble.subject,
            title=trouble.said.title,
            text=trouble.said.text,
            help=trouble.said.help,
            began_s=round(one.began_s, 2),
            told_s=round(told_s, 2),
            worst=round(trouble.badness, 2),
            mend=trouble.mend,
            heard_as=one.rule.heard_as,
        )
        return one.event

    def _worsen(self, one: _Episode) -> Event | None:
        event, trouble = one.event, one.trouble
        assert event is not None
        if trouble.badness <= event.worst + 0.5:
            return None
        one.event = event.model_copy(
            update={
                "worst": round(trouble.badness, 2),
                "title": trouble.said.title,
                "text": trouble.said.text,
            }
        )
        return one.event

    def _end_what_is_over(self, moment: Moment, rig: Rig) -> list[Event]:
        ended = []
        now_s = moment.at_s + moment.seconds
        for key, one in list(self._open.items()):
            quiet_s = now_s - one.last_s
            calm_s = one.rule.calm_s if one.rule.can_last(moment, rig) else 0.0
            if not one.is_over and quiet_s > calm_s:
                one.is_over = True
                if one.event is None:
                    del self._open[key]
                    continue
                one.event = one.event.model_copy(
                    update={"ended_s": round(self._ended_s(one, rig), 2), "is_known": False}
                )
                ended.append(one.event)
            elif one.is_over and quiet_s > one.rule.joins_s:
                del self._open[key]
        return ended
