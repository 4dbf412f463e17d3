"""Messages of pages that the observer itself obeys: they travel as they came, in one class."""

from typing import Annotated

from pydantic import Field, TypeAdapter

from goshawk.observer.requests import PassedOn
from goshawk.page_messages.balance import ReplayHear, ReplayLast, ReplayStop
from goshawk.page_messages.chain import LoopHear, LoopLast, LoopNew, LoopStop
from goshawk.page_messages.wiring import MeasureGain

ForObserver = (
    LoopLast | LoopNew | LoopStop | LoopHear | ReplayLast | ReplayStop | ReplayHear | MeasureGain
)
_for_observer: TypeAdapter[ForObserver] = TypeAdapter(
    Annotated[ForObserver, Field(discriminator="type")]
)


def passed_on(message: ForObserver) -> PassedOn:
    """A page's message as a request."""
    return PassedOn(message.model_dump_json().encode())


def read(request: PassedOn) -> ForObserver:
    """The inverse."""
    return _for_observer.validate_json(request.message)
