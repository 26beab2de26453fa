"""The steps of timed events: what each does, says and needs.

A step that puts lines into the running order names what it takes (an item, a list, a folder, a
category, a stream, a log) and where the lines go (`Placement`).
"""

from __future__ import annotations

from dataclasses import MISSING, dataclass, fields
from enum import StrEnum
from typing import Any, ClassVar
from urllib.parse import urlsplit

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.wording import span_text
from nightly_spindle.core.library.items import MOST_CART


class Placement(StrEnum):
    """Where a step puts its lines in the running order."""

    REPLACE = "replace"
    FRONT = "front"
    END = "end"


PLACES = {
    Placement.REPLACE: "in place of what is lined up",
    Placement.FRONT: "at the front",
    Placement.END: "at the end",
}


class Pick(StrEnum):
    """What is taken of a list or a folder at each firing."""

    ALL = "all"
    SHUFFLED = "all shuffled"
    NEXT = "the next one"
    RANDOM = "one at random"


_PICKS = {
    Pick.ALL: "all of",
    Pick.SHUFFLED: "all, shuffled, of",
    Pick.NEXT: "the next one of",
    Pick.RANDOM: "one at random of",
}


@dataclass(frozen=True, slots=True)
class PlayItem:
    """Play one item."""

    code: ClassVar[str] = "play item"
    cart: int
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words; who knows the item's title puts it in."""
        return f"play item {self.cart} {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayList:
    """Play items of a fixed list, known by its name."""

    code: ClassVar[str] = "play list"
    name: str
    pick: Pick = Pick.ALL
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        return f"play {_PICKS[self.pick]} the list “{self.name}” {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayFolder:
    """Play items whose audio lies in a folder (absolute, or relative to the station).

    One at random means: none again until all have aired.
    """

    code: ClassVar[str] = "play folder"
    folder: str
    pick: Pick = Pick.RANDOM
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        return f"play {_PICKS[self.pick]} the folder {self.folder} {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayCategory:
    """Play items of a category, by its name, those first whose turn it is."""

    code: ClassVar[str] = "play category"
    name: str
    count: int = 1
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        many = "one item" if self.count == 1 else f"{self.count} items"
        return f"play {many} of the category “{self.name}” {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayPool:
    """Play the next of a pool of overlays as an item of its own, while the pool is open."""

    code: ClassVar[str] = "play pool"
    name: str
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        return f"play the next of the pool “{self.name}” {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayBreak:
    """Put in a break of a pattern, by its name, to be filled with spots when it comes next."""

    code: ClassVar[str] = "play break"
    name: str
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        return f"air a break “{self.name}” {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class PlayStream:
    """Take over a web stream for so long; 0: until the event's own length is over.

    When nothing comes for `patience_s` the next line starts.
    """

    code: ClassVar[str] = "play stream"
    url: str
    title: str = ""
    length_s: float = 0.0
    patience_s: float = 5.0
    placement: Placement = Placement.FRONT

    def sentence(self) -> str:
        """The step in words."""
        lasts = f"for {span_text(self.length_s)}" if self.length_s else "until its end"
        return f"take over the stream “{self.name}” {lasts} {PLACES[self.placement]}"

    @property
    def name(self) -> str:
        """What the stream is called."""
        return self.title or self.url


@dataclass(frozen=True, slots=True)
class LoadLog:
    """The step that loads the log of a log drop: that of the firing's own time.

    `slot_us` means the log of another time, `file` (absolute) a file that lies anywhere.
    """

    code: ClassVar[str] = "load log"
    drop: int
    placement: Placement = Placement.REPLACE
    slot_us: int = 0
    file: str = ""

    def sentence(self) -> str:
        """The step in words."""
        return f"load the log {PLACES[self.placement]}"


@dataclass(frozen=True, slots=True)
class ExpectLog:
    """The step that looks whether the next day's logs of a drop are there."""

    code: ClassVar[str] = "expect log"
    drop: int

    def sentence(self) -> str:
        """The step in words."""
        return "see whether the next day's logs are there"


@dataclass(frozen=True, slots=True)
class Clear:
    """Take everything out that is lined up."""

    code: ClassVar[str] = "clear"

    def sentence(self) -> str:
        """The step in words."""
        return "clear what is lined up"


@dataclass(frozen=True, slots=True)
class GoBack:
    """Go back afterwards to what was cut off, and to what was lined up."""

    code: ClassVar[str] = "go back"

    def sentence(self) -> str:
        """The step in words."""
        return "return to the interrupted item"


@dataclass(frozen=True, slots=True)
class SetMode:
    """Go on by itself from here on, or wait for the operator after each item."""

    code: ClassVar[str] = "set mode"
    unattended: bool

    def sentence(self) -> str:
        """The step in words."""
        return f"switch to {'unattended' if self.unattended else 'attended'}"


@dataclass(frozen=True, slots=True)
class SetOverlays:
    """Let overlays sound from here on, or not."""

    code: ClassVar[str] = "set overlays"
    on: bool

    def sentence(self) -> str:
        """The step in words."""
        return f"switch overlays {'on' if self.on else 'off'}"


@dataclass(frozen=True, slots=True)
class ShowText:
    """Show a text as what is playing, while the event's own lines are on air."""

    code: ClassVar[str] = "show text"
    text: str

    def sentence(self) -> str:
        """The step in words."""
        return f"show “{self.text}” as now playing"


@dataclass(frozen=True, slots=True)
class RaiseAlarm:
    """Raise an alarm."""

    code: ClassVar[str] = "raise alarm"
    text: str

    def sentence(self) -> str:
        """The step in words."""
        return f"raise the alarm “{self.text}”"


@dataclass(frozen=True, slots=True)
class GoToMark:
    """Go on at a timed mark of an hour that the station made; songs lined up before it go.

    It is no step that can be chosen: the marks of format clocks are held by it.
    """

    code: ClassVar[str] = "go to mark"
    mark: str

    def sentence(self) -> str:
        """The step in words."""
        return f"go on at the mark “{self.mark}”"


PlayStep = PlayItem | PlayList | PlayFolder | PlayCategory | PlayPool | PlayBreak | PlayStream
LineStep = PlayStep | LoadLog | GoToMark
Step = LineStep | ExpectLog | Clear | GoBack | SetMode | SetOverlays | ShowText | RaiseAlarm

# in the order in which a form offers them
STEPS: dict[str, type[Any]] = {
    kind.code: kind
    for kind in (
        PlayItem,
        PlayList,
        PlayFolder,
        PlayCategory,
        PlayPool,
        PlayBreak,
        PlayStream,
        LoadLog,
        Clear,
        GoBack,
        SetMode,
        SetOverlays,
        ShowText,
        RaiseAlarm,
    )
}
PLAYS = (PlayItem, PlayList, PlayFolder, PlayCategory, PlayPool, PlayBreak, PlayStream)
_READERS: dict[str, Any] = {
    "int": int,
    "float": float,
    "str": str,
    "Placement": Placement,
    "Pick": Pick,
}


def step_values(step: Step) -> dict[str, Any]:
    """Return a step as plain values; what is as usual is left out."""
    values: dict[str, Any] = {"step": step.code}
    for spec in fields(step):
        value = getattr(step, spec.name)
        if spec.default is MISSING or value != spec.default:
            values[spec.name] = str(value) if isinstance(value, StrEnum) else value
    return values


def step_from(values: dict[str, Any]) -> Step:
    """Return the step that `step_values` wrote; SettingRefused says what is wrong with it."""
    code = values.get("step")
    kind = STEPS.get(code) if isinstance(code, str) else None
    if kind is None:
        raise SettingRefused(
            f"the step '{code}' is none that this program knows ({', '.join(STEPS)}); "
            "remove the step or update the program"
        )
    specs = {spec.name: spec for spec in fields(kind)}
    strange = sorted(set(values) - set(specs) - {"step"})
    lacking = sorted(
        name for name, spec in specs.items() if spec.default is MISSING and name not in values
    )
    if strange or lacking:
        wrong = [f"does not know '{name}'" for name in strange]
        wrong += [f"lacks '{name}'" for name in lacking]
        raise SettingRefused(f"the step '{code}' {', '.join(wrong)}")
    found = {}
    for name, value in values.items():
        if name != "step":
            found[name] = _value(code, name, specs[name].type, value)
    return kind(**found)  # type: ignore[no-any-return]


def _value(code: Any, name: str, annotation: Any, value: Any) -> Any:
    if annotation == "bool":
        if isinstance(value, bool):
            return value
        raise SettingRefused(f"the step '{code}': {name} is '{value}'; it is true or false")
    kind = _READERS[annotation]
    try:
        return kind("" if isinstance(value, bool) and kind is not str else value)
    except (TypeError, ValueError) as error:
        known = f"; it is one of {', '.join(kind)}" if issubclass(kind, StrEnum) else ""
        raise SettingRefused(f"the step '{code}': {name} is '{value}'{known}") from error


def check_step(step: Step) -> list[str]:
    """Return what is wrong with a step by itself, in words."""
    if isinstance(step, PlayStream):
        return _check_stream(step)
    wrong = []
    if isinstance(step, PlayItem) and not 1 <= step.cart <= MOST_CART:
        wrong.append("the step 'play item' names no item: give a cart number from 1 on")
    if isinstance(step, LoadLog) and not step.drop and not step.file:
        wrong.append("the step 'load log' names no log drop")
    if isinstance(step, PlayCategory) and not 1 <= step.count <= 500:
        wrong.append(f"{step.count} items of a category cannot be played; give 1 to 500")
    if isinstance(step, PlayList | PlayCategory | PlayPool | PlayBreak) and not step.name.strip():
        wrong.append(f"the step '{step.code}' names none")
    if isinstance(step, PlayFolder) and not step.folder.strip():
        wrong.append("the step 'play folder' names no folder")
    if isinstance(step, ShowText | RaiseAlarm) and not step.text.strip():
        wrong.append(f"the step '{step.code}' lacks its text")
    return wrong


def _check_stream(step: PlayStream) -> list[str]:
    wrong = []
    if not step.url.lower().startswith(("http://", "https://")):
        wrong.append(f"the stream '{step.url}' does not begin with http:// or https://")
    elif not _host(step.url):
        wrong.append(f"the stream '{step.url}' is not a valid address: it names no server")
    if not 0 <= step.length_s <= 7 * 86_400 or not 0.5 <= step.patience_s <= 120:
        wrong.append("a stream lasts up to 7 days, and is waited for from 0.5 to 120 s")
    return wrong


def _host(url: str) -> str:
    """Return the server that an address names, empty when it names none."""
    try:
        parts = urlsplit(url.strip())
        host, port = parts.hostname, parts.port
    except ValueError:  # a bracket or a port that is none
        return ""
    return host or "" if port != 0 else ""
