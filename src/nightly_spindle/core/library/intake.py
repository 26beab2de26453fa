"""Intake: how audio gets into the library, and what becomes of each file that arrives.

The rules, all in this module:

- a file's own tags win; the job's name template fills what they leave open;
- with numbering from the name, a number that an item has replaces that item's audio;
- a song without artist or title waits for them, a duplicate waits for a decision;
- everything else is taken at once.
"""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass, fields, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.library.items import MOST_CART, Kind

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import PurePath

DEFAULT_TEMPLATE = "{artist} - {title}"
TEMPLATE_FIELDS = ("artist", "title", "album", "year", "genre", "number")
# Songs are known by artist and title; everything else by its title alone.
_NEEDS_ARTIST = frozenset({Kind.SONG})


class Numbering(StrEnum):
    """Where an item's cart number comes from."""

    NEXT = "next"
    NAME = "name"


class Markers(StrEnum):
    """What becomes of an item's markers when its audio is replaced.

    Measured ones are always measured anew; those that were set by hand go, or stay.
    """

    MEASURE = "measure"
    KEEP = "keep"


class FileFate(StrEnum):
    """What becomes of the file that arrived."""

    LEAVE = "leave"
    COPY = "copy"
    MOVE = "move"


class State(StrEnum):
    """What became of an arrival."""

    QUEUED = "queued"
    TAKEN = "taken"
    REPLACED = "replaced"
    KNOWN = "known"
    WAITING = "waiting"
    REFUSED = "refused"


class Waits(StrEnum):
    """What an item in the waiting room waits for; NOT for one that is not there."""

    NOT = ""
    TAGS = "tags"
    DUPLICATE = "duplicate"


@dataclass(frozen=True, slots=True)
class Tags:
    """What an item is called."""

    title: str = ""
    artist: str = ""
    album: str = ""
    year: str = ""
    genre: str = ""


@dataclass(frozen=True, slots=True)
class IntakeOptions:
    """How files are taken in; the part of an intake job that one import by hand shares.

    `first` and `last` bound the cart numbers that are given out. `done_folder` is where
    MOVE puts the file, relative to its own folder unless absolute.
    """

    kind: Kind = Kind.SONG
    categories: tuple[str, ...] = ()
    numbering: Numbering = Numbering.NEXT
    first: int = 1001
    last: int = MOST_CART
    template: str = DEFAULT_TEMPLATE
    markers: Markers = Markers.MEASURE
    source: FileFate = FileFate.LEAVE
    done_folder: str = "done"


@dataclass(frozen=True, slots=True)
class IntakeJob:
    """A watched folder. `subfolders`: whether folders below are watched too."""

    id: int
    name: str
    folder: str
    options: IntakeOptions = IntakeOptions()
    subfolders: bool = True
    enabled: bool = True

    def sentence(self) -> str:
        """Say what the job does, as the operator reads it."""
        options = self.options
        below = " and the folders below it" if self.subfolders else ""
        begun = f"Audio that appears in {self.folder}{below} is imported as {options.kind}"
        if options.categories:
            begun += f" into {', '.join(options.categories)}"
        return f"{begun}, {_numbered(options)}; {_source(options)}."


def _numbered(options: IntakeOptions) -> str:
    if options.numbering is Numbering.NEXT:
        return f"with the next free number from {options.first}"
    all_anew = options.markers is Markers.MEASURE
    kept = "are all measured again" if all_anew else "that were set by hand stay"
    return (
        "under the number in its file name, replacing the audio of the item that has it (its "
        f"markers {kept})"
    )


def _source(options: IntakeOptions) -> str:
    if options.source is FileFate.MOVE:
        return f"it is copied into the station's audio and moved to “{options.done_folder}”"
    if options.source is FileFate.COPY or options.numbering is Numbering.NAME:
        return "it is copied into the station's audio; the original stays"
    return "it is played from where it is"


def options_from(values: Mapping[str, Any]) -> IntakeOptions:
    """Build options from plain values (JSON, command line), telling all that is wrong."""
    wrong: list[str] = []
    known = {spec.name for spec in fields(IntakeOptions)}
    wrong += [f"there is no intake option '{name}'" for name in values if name not in known]
    chosen: dict[str, Any] = {k: v for k, v in values.items() if k in known and v is not None}
    wrong += _wrong_choices(chosen)
    if "categories" in chosen:
        names = chosen["categories"]
        names = [names] if isinstance(names, str) else names
        chosen["categories"] = tuple(dict.fromkeys(n.strip() for n in names if n.strip()))
    wrong += _wrong_numbers(chosen)
    for name in ("template", "done_folder"):
        if name in chosen:
            chosen[name] = str(chosen[name]).strip()
    if chosen.get("template"):
        try:
            template_pattern(chosen["template"])
        except SettingRefused as error:
            wrong.append(str(error))
    if chosen.get("source") is FileFate.MOVE and not chosen.get("done_folder", "done"):
        wrong.append("moving needs the name of the folder for files that are done")
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return IntakeOptions(**chosen)


_CHOICES: dict[str, type[StrEnum]] = {
    "kind": Kind,
    "numbering": Numbering,
    "markers": Markers,
    "source": FileFate,
}


def _wrong_choices(chosen: dict[str, Any]) -> list[str]:
    wrong = []
    for name, choices in _CHOICES.items():
        if name in chosen:
            try:
                chosen[name] = choices(str(chosen[name]).strip().lower().replace(" ", "-"))
            except ValueError:
                wrong.append(f"{name} '{chosen.pop(name)}' is not one of {', '.join(choices)}")
    return wrong


def _wrong_numbers(chosen: dict[str, Any]) -> list[str]:
    wrong = []
    for name in ("first", "last"):
        if name not in chosen:
            continue
        try:
            chosen[name] = int(chosen[name])
        except (TypeError, ValueError):
            chosen[name] = 0
        if not 1 <= chosen[name] <= MOST_CART:
            wrong.append(f"the {name} cart number must be between 1 and {MOST_CART}")
    if not wrong and chosen.get("first", 1001) > chosen.get("last", MOST_CART):
        wrong.append(f"the range {chosen.get('first', 1001)} to {chosen['last']} is empty")
    return wrong


def options_values(options: IntakeOptions) -> dict[str, Any]:
    """Return options as plain values; `options_from` reads them back."""
    return {**asdict(options), "categories": list(options.categories)}


def template_pattern(template: str) -> re.Pattern[str]:
    """Return the pattern of a file-name template such as "{artist} - {title}".

    SettingRefused when it names a field that there is not, or one twice.
    """
    seen: list[str] = []
    parts = []
    for text, name in re.findall(r"([^{}]*)(?:\{([^{}]*)\})?", template):
        parts.append(re.escape(text))
        if name:
            if name not in TEMPLATE_FIELDS or name in seen:
                raise SettingRefused(
                    f"the name template '{template}' may hold {', '.join(TEMPLATE_FIELDS)}, each "
                    f"once in braces; '{{{name}}}' is not one of them or stands twice"
                )
            seen.append(name)
            parts.append(rf"(?P<{name}>{'[0-9]+' if name == 'number' else '.+?'})")
    if not seen or re.sub(r"\{[^{}]+\}", "", template).strip("{}") != re.sub(
        r"\{[^{}]+\}", "", template
    ):
        raise SettingRefused(
            f"the name template '{template}' needs at least one field in braces, as in "
            f"'{DEFAULT_TEMPLATE}'"
        )
    return re.compile("".join(parts))


def fields_in_name(template: str, stem: str) -> dict[str, str]:
    """Return what a file name (without its suffix) says by a template; empty when it differs."""
    found = template_pattern(template).fullmatch(stem) if template else None
    return {k: v.strip() for k, v in found.groupdict().items()} if found else {}


def number_in_name(template: str, stem: str) -> int | None:
    """Return the cart number in a file name: the template's, else the first run of digits."""
    named = fields_in_name(template, stem).get("number")
    digits = named or next(iter(re.findall(r"\d+", stem)), "")
    number = int(digits) if 0 < len(digits) <= 18 else 0
    return number if 1 <= number <= MOST_CART else None


def tags_for(own: Tags, template: str, path: PurePath) -> Tags:
    """Return a file's tags, completed from its name; a title there always is."""
    named = fields_in_name(template, path.stem)
    filled = {
        spec.name: getattr(own, spec.name) or named.get(spec.name, "") for spec in fields(Tags)
    }
    return replace(Tags(**filled), title=filled["title"] or path.stem)


def lacks(kind: Kind, tags: Tags) -> tuple[str, ...]:
    """Return the tags that an item of this kind must have and lacks."""
    missing = [] if tags.title.strip() else ["title"]
    if kind in _NEEDS_ARTIST and not tags.artist.strip():
        missing.insert(0, "artist")
    return tuple(missing)


@dataclass(frozen=True, slots=True)
class Twin:
    """An item that a newcomer seems to be again."""

    cart: int
    label: str
    by_sound: bool

    def why(self) -> str:
        """Say why the newcomer waits."""
        how = "sounds the same as" if self.by_sound else "has the artist and title of"
        return f"it {how} cart {self.cart}, {self.label}"


@dataclass(frozen=True, slots=True)
class IntakeVerdict:
    """What is to be done with a file that could be read.

    `cart` is the number it gets; `replaces` whether that item is there already.
    """

    state: State
    cart: int
    replaces: bool = False
    waits: Waits = Waits.NOT
    why: str = ""
    twin: int | None = None


def judge(
    options: IntakeOptions,
    name: str,
    tags: Tags,
    taken: Sequence[int],
    next_free: int | None,
    twin: Twin | None,
) -> IntakeVerdict | str:
    """Decide on a file that could be read; a text says why it is refused.

    `name` is the file name without suffix; `taken` are those of the numbers asked about
    that an item has; `next_free` is the lowest free number of the job's range, None when
    there is none.
    """
    if options.numbering is Numbering.NAME:
        number = number_in_name(options.template if "{number}" in options.template else "", name)
        if number is None:
            return "its name holds no cart number from 1 to 999999999; name it for one"
        if number in taken:
            return IntakeVerdict(State.REPLACED, number, replaces=True)
    elif next_free is None:
        return f"no number is free from {options.first} to {options.last}; widen the job's range"
    else:
        number = next_free
    missing = lacks(options.kind, tags)
    if missing:
        why = f"it has no {' and no '.join(missing)}"
        return IntakeVerdict(State.WAITING, number, waits=Waits.TAGS, why=why)
    if twin is not None:
        waits = Waits.DUPLICATE
        return IntakeVerdict(State.WAITING, number, waits=waits, why=twin.why(), twin=twin.cart)
    return IntakeVerdict(State.TAKEN, number)
