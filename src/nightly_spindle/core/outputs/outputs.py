"""Where a station's sound goes: streams, sound cards, recordings, or a simulated card.

A station has any number of outputs; all get the same programme. What each is and what cannot be
is here; whether a listener hears it is `output_health`.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import group_of, unusual
from nightly_spindle.core.outputs.stream_codecs import FACTS, Codec

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from urllib.parse import SplitResult

MOST_OUTPUTS = 32
_MOST_NAME = 80


class OutputKind(StrEnum):
    """What an output is."""

    STREAM = "stream"
    CARD = "sound card"
    RECORDING = "recording"
    PAGE = "web page"
    SIMULATED = "simulated"


class SourceMethod(StrEnum):
    """How a streaming server is asked to take the stream."""

    PUT = "put"
    SOURCE = "source"


class Channels(StrEnum):
    """How many channels are sent."""

    STEREO = "stereo"
    MONO = "mono"


class BitRate(StrEnum):
    """Whether a stream has one bit rate all the time."""

    CONSTANT = "constant"
    VARIABLE = "variable"


class Rate(StrEnum):
    """The sample rate that is sent, in Hz."""

    MIXED = "as mixed"
    R32 = "32000"
    R44 = "44100"
    R48 = "48000"

    @property
    def hz(self) -> int:
        """The rate, 0 where it is that of the mix."""
        return 0 if self is Rate.MIXED else int(self)


class RecordedAs(StrEnum):
    """How a recording is coded."""

    FLAC = "flac"
    OPUS = "opus"


@dataclass(frozen=True, slots=True)
class StreamOptions:
    """A stream to a streaming server. Its password is kept apart, never here."""

    address: str = text("", "Where the server takes it: https://radio.example:8000/live.")
    user: str = text("source", "The name to sign in with.")
    method: SourceMethod = choice(
        SourceMethod.PUT, "HTTP PUT (RFC 9110), or SOURCE for servers that know no other."
    )
    codec: Codec = choice(Codec.MP3, "In which codec.")
    kbps: float = number(128.0, "kbit/s", 16.0, 510.0, "The bit rate; FLAC takes what it needs.")
    bit_rate: BitRate = choice(BitRate.CONSTANT, "One bit rate all the time, or on average.")
    channels: Channels = choice(Channels.STEREO, "Stereo, or both channels as one.")
    rate: Rate = choice(Rate.MIXED, "The sample rate; Opus always has 48000 Hz.")
    title: str = text("", "What the stream is called; empty is the station's name.")
    description: str = text("", "What it is, in a sentence.")
    genre: str = text("", "Kinds of music.")
    website: str = text("", "The station's page on the web.")
    public: bool = flag(False, "Directories of streams may list it.")
    authority: str = text("", "A file with the certificate that https is checked against.")
    burst_s: float = number(0.0, "s", 0.0, 20.0, "So much of the past is sent at once at first.")
    titles: bool = flag(True, "Players are told what is on.")
    listen: str = text("", "Where listeners hear it; empty is the address itself.")
    listen_every: float = number(
        0.0, "min", 0.0, 120.0, "The engine listens there so often; 0 is never."
    )


@dataclass(frozen=True, slots=True)
class CardOptions:
    """A sound card of this machine."""

    device: str = text("", "Name or number of the sound device; empty is the machine's default.")
    buffer_s: float = number(0.5, "s", 0.1, 5.0, "So much waits in its buffer.")


@dataclass(frozen=True, slots=True)
class RecordingOptions:
    """What went out, in files of an hour each."""

    folder: str = text("recordings", "Where; relative to the station unless it begins with /.")
    coded: RecordedAs = choice(RecordedAs.FLAC, "FLAC keeps every bit, Opus a tenth of the room.")
    keep_days: float = number(42.0, "days", 1.0, 3650.0, "Older ones are removed.")
    most_gb: float = number(50.0, "GB", 0.1, 100_000.0, "They never take more room than this.")
    leave_gb: float = number(2.0, "GB", 0.0, 10_000.0, "So much of the disk stays free.")


@dataclass(frozen=True, slots=True)
class PageOptions:
    """The station's page on the web: what is on, what was, today's programme."""

    folder: str = text("web", "Its files; relative to the station unless it begins with /.")
    serve: str = text("127.0.0.1:8137", "Served at this address and port; empty is not.")


@dataclass(frozen=True, slots=True)
class SimulatedOptions:
    """A simulated card has nothing to set."""


Options = StreamOptions | CardOptions | RecordingOptions | PageOptions | SimulatedOptions
GROUPS: dict[OutputKind, type[Options]] = {
    OutputKind.STREAM: StreamOptions,
    OutputKind.CARD: CardOptions,
    OutputKind.RECORDING: RecordingOptions,
    OutputKind.PAGE: PageOptions,
    OutputKind.SIMULATED: SimulatedOptions,
}


@dataclass(frozen=True, slots=True)
class Output:
    """One place that the sound goes to; nothing goes there while it is not `on`."""

    id: int
    name: str
    options: Options
    on: bool = True

    @property
    def kind(self) -> OutputKind:
        """What it is."""
        return next(kind for kind, group in GROUPS.items() if type(self.options) is group)


FIRST = (Output(1, "Sound card", CardOptions()),)  # of a new station
NOT_HEARD = (Output(1, "Simulated", SimulatedOptions()),)  # of one for trying things


def check_output(output: Output) -> None:
    """Raise SettingRefused with all that is wrong with an output."""
    wrong = []
    if not output.name.strip():
        wrong.append("it needs a name")
    if len(output.name) > _MOST_NAME or not output.name.isprintable():
        wrong.append(f"its name is longer than {_MOST_NAME} characters, or none can be shown")
    if isinstance(output.options, StreamOptions):
        wrong += _wrong_stream(output.options)
    if isinstance(output.options, RecordingOptions) and not output.options.folder.strip():
        wrong.append("a recording needs a folder")
    if isinstance(output.options, PageOptions):
        if not output.options.folder.strip():
            wrong.append("a page needs a folder")
        try:
            if output.options.serve:
                host_and_port(output.options.serve)
        except SettingRefused as error:
            wrong.append(str(error))
    if wrong:
        raise SettingRefused(f"output “{output.name}”: {'; '.join(wrong)}")


def _wrong_stream(options: StreamOptions) -> list[str]:
    wrong = []
    for name, url in (("address", options.address), ("listen", options.listen)):
        if name == "address" or url:
            wrong += [f"{name} '{url}' {said}" for said in _wrong_url(url)]
    for name in ("user", "title", "description", "genre", "website"):
        if not getattr(options, name).isprintable():
            wrong.append(f"{name} holds characters that cannot be sent")
    if ":" in options.user:
        wrong.append("user holds a colon, which no name to sign in with can (RFC 7617)")
    kbps = FACTS[options.codec].kbps
    if kbps is not None and not kbps[0] <= options.kbps <= kbps[1]:
        wrong.append(
            f"kbps is {options.kbps:g}; {FACTS[options.codec].words} can have "
            f"{kbps[0]} to {kbps[1]}"
        )
    return wrong


def host_and_port(address: str) -> tuple[str, int]:
    """Return the parts of "127.0.0.1:8137"; SettingRefused where it is not like that."""
    host, colon, port = address.rpartition(":")
    if not colon or not host or not port.isascii() or not port.isdigit() or int(port) > 65_535:
        raise SettingRefused(f"serve '{address}' is not like 127.0.0.1:8137")
    return host.strip("[]"), int(port)


def _wrong_url(url: str) -> list[str]:
    """Return what is wrong with the address of a stream."""
    like = "is not like http://radio.example:8000/live"
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError:
        return [like]
    if parts.scheme not in {"http", "https"} or not parts.hostname or port == 0:
        return [like]
    if parts.username is not None or parts.password is not None:
        return ["holds a name or password; give them apart, a password is never kept here"]
    if parts.path in {"", "/"} or not url.isprintable() or " " in url or not url.isascii():
        return [f"{like}: it names no stream after the server"]
    if parts.fragment:
        return [like]
    return []


def address_parts(url: str) -> SplitResult:
    """Return the parts of a checked address."""
    return urlsplit(url)


def output_values(output: Output) -> dict[str, Any]:
    """Return an output as plain values."""
    return {
        "id": output.id,
        "name": output.name,
        "kind": str(output.kind),
        "on": output.on,
        "options": unusual(output.options),
    }


def output_from(values: Mapping[str, Any]) -> Output:
    """Return the output that `output_values` wrote; SettingRefused says what cannot be."""
    name = str(values.get("name", ""))
    if values.get("kind") not in set(map(str, OutputKind)):
        raise SettingRefused(
            f"output “{name}” is a '{values.get('kind')}'; that is one of {', '.join(OutputKind)}"
        )
    wrong: list[str] = []
    group = GROUPS[OutputKind(values["kind"])]
    options = group_of(group, values.get("options", {}), wrong)
    if wrong:
        raise SettingRefused(f"output “{name}”: {'; '.join(wrong)}")
    made = Output(int(values.get("id", 0)), name, options, bool(values.get("on", True)))
    check_output(made)
    return made


def listening_address(options: StreamOptions) -> str:
    """Return where listeners hear a stream."""
    return options.listen or options.address


def same_sound(one: Output, other: Output) -> bool:
    """Return whether a running output need not be begun anew to be the other: its name alone is."""
    return replace(one, name=other.name) == other


def outputs_sentence(outputs: Iterable[Output]) -> str:
    """Return in a sentence whether anybody can hear these."""
    heard = [one for one in outputs if one.on and one.kind in HEARD]
    if heard:
        return f"The station goes to {', '.join(f'“{one.name}”' for one in heard)}."
    return "Nobody can hear the station: it has no stream and no sound card that is on."


HEARD = frozenset({OutputKind.STREAM, OutputKind.CARD})


def output_sentence(output: Output, station: str, *, password: bool) -> str:
    """Return what an output does in one sentence. `password`: whether one is kept for it."""
    options = output.options
    if isinstance(options, StreamOptions):
        facts = FACTS[options.codec]
        rate = f" at {options.kbps:g} kbit/s" if facts.kbps else ""
        if rate and options.bit_rate is BitRate.VARIABLE:
            rate = f" at about {options.kbps:g} kbit/s"
        mono = ", mono" if options.channels is Channels.MONO else ""
        called = options.title or station
        said = f"Sends “{called}” as {facts.words}{rate}{mono} to {options.address}"
        said += "." if password else "; its password is not set yet."
    elif isinstance(options, CardOptions):
        said = f"Plays on {options.device or 'this machine’s default sound device'}."
    elif isinstance(options, RecordingOptions):
        said = (
            f"Records all that goes out into {options.folder}, an hour a file, as "
            f"{options.coded.upper() if options.coded is RecordedAs.FLAC else 'Opus'}, for "
            f"{options.keep_days:g} days and at most {options.most_gb:g} GB."
        )
    elif isinstance(options, PageOptions):
        served = f", served at http://{options.serve}/" if options.serve else ""
        said = f"Writes the station’s page, with what is on, into {options.folder}{served}."
    else:
        said = "Simulated: nobody hears it."
    return said if output.on else f"Off. {said}"
