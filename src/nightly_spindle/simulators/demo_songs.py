"""The audio of the demo's songs: sections that are made and encoded once, then repeated."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from nightly_spindle.simulators import synth
from nightly_spindle.simulators.songwriting import BANDS, Tune, section

if TYPE_CHECKING:
    from nightly_spindle.simulators.demo_catalogue import Song

# frames of sound in one of MPEG-1 layer II (ISO/IEC 11172-3): each can be decoded alone
_MP2_FRAME = 1152
_MP2_BITS = 160_000  # a second
_VORBIS_BLOCK = 8192  # more at once overflows the stack inside libsndfile
_LONG_BAR_S = 2.6  # sections have four of those, eight of shorter ones
_ORDER = (1, 2, 1, 2, 3, 2)  # verse, refrain, and a break before the last refrain
_DAMPED_S = 0.5


@dataclass(frozen=True, slots=True)
class Pieces:
    """A song's sections, one after the other in `sound`, and in what order they are heard.

    Each is (first frame, last frame + 1), all but the last whole frames of layer II.
    """

    sound: NDArray[np.float32]
    parts: tuple[tuple[int, int], ...]
    order: tuple[int, ...]

    def whole(self) -> NDArray[np.float32]:
        """Return the song as it is heard (frames, channels)."""
        return np.concatenate([self.sound[slice(*self.parts[index])] for index in self.order])


def tune_of(song: Song, seed: int) -> Tune:
    """Return what a song is made of: tempo so that its bars are whole frames of layer II."""
    dice = np.random.default_rng(seed)
    band = BANDS[song.style]
    key, minor = int(dice.integers(46, 60)), bool(dice.random() < band.minor)
    bar = band.beats * 60.0 / float(dice.uniform(*band.bpm)) * song.rate
    whole = round(bar / _MP2_FRAME) * _MP2_FRAME
    return Tune(
        seed, key, minor, band.beats * 60.0 * song.rate / whole, song.intro_bars, song.style
    )


def pieces(song: Song, seed: int) -> Pieces:
    """Return the sections of a song that lasts about as long as it says."""
    tune, rate = tune_of(song, seed), song.rate
    bar = round(tune.bar_s * rate)
    bars = 8 if tune.bar_s < _LONG_BAR_S else 4
    head = round(song.head_s * rate / _MP2_FRAME) * _MP2_FRAME
    intro = section(tune, rate, song.intro_bars, tune.band.intro, 1)[: song.intro_bars * bar]
    made = [
        np.concatenate([np.zeros((head, 2), np.float32), intro]),
        _round(section(tune, rate, bars, "pkbdv", 2), bars * bar),
        _round(section(tune, rate, bars, "pkbdv", 4), bars * bar),
        _round(section(tune, rate, 4, "pkb", 6), 4 * bar),
    ]
    made.append(_ending(song, made[2], bar))
    tail = np.zeros((round(song.tail_s * rate), 2), np.float32)
    sound = synth.to_peak(np.concatenate(made), song.peak_db, song.drive_db)
    if song.click and len(tail):
        at = len(tail) // 2
        tail[at : at + rate // 200] = 10 ** ((song.peak_db - 6) / 20)
    edges = np.concatenate([[0], np.cumsum([len(one) for one in made])])
    edges[-1] += len(tail)
    parts = tuple((int(begin), int(end)) for begin, end in pairwise(edges))
    left = song.seconds * rate - len(made[0]) - len(made[-1])
    order: list[int] = []
    while not order or left > len(made[_ORDER[len(order) % len(_ORDER)]]) / 2:
        order.append(_ORDER[len(order) % len(_ORDER)])
        left -= len(made[order[-1]])
    return Pieces(np.concatenate([sound, tail]), parts, (0, *order, 4))


def _round(sound: NDArray[np.float32], length: int) -> NDArray[np.float32]:
    """Return a section whose last notes ring into its own beginning, as when it is repeated."""
    ring = sound[length:]
    body = sound[:length].copy()
    body[: len(ring)] += ring
    return body


def _ending(song: Song, refrain: NDArray[np.float32], bar: int) -> NDArray[np.float32]:
    rate = song.rate
    if song.fade_s:
        bars = int(song.fade_s * rate / bar) + 1
        body = refrain[: bars * bar].copy()
        fade = min(len(body), round(song.fade_s * rate))
        # an engineer's hand on the fader: quick at first, long at the end
        body[-fade:] *= (np.linspace(1, 0, fade, dtype=np.float32) ** 1.6)[:, None]
        return body
    # a cold end: the last chord is damped within half a second of its bar
    damped = round(_DAMPED_S * rate)
    body = refrain[: bar + damped].copy()
    body[bar:] *= np.exp(-np.arange(damped, dtype=np.float32) / (0.09 * rate))[:, None]
    return body


def write_song(path: str, song: Song, seed: int, album: str) -> None:
    """Make a song's file, tags included."""
    made = pieces(song, seed)
    if path.endswith(".mp2"):
        _write_layer_two(path, made, song.rate)
        _tag(path, song.title, song.artist, album)
    else:
        write_sound(path, made.whole(), song.rate, song.title, song.artist, album)


def _write_layer_two(path: str, made: Pieces, rate: int) -> None:
    """Encode the sections, and write their frames in the order that they are heard in."""
    import av

    sound = np.clip(made.sound, -1.0, 1.0)
    padded = np.zeros((-(-len(sound) // _MP2_FRAME) * _MP2_FRAME, 2), np.int16)
    padded[: len(sound)] = np.round(sound * 32767)
    coder = av.CodecContext.create("mp2", "w")
    coder.sample_rate, coder.layout, coder.format = rate, "stereo", "s16"
    coder.bit_rate = _MP2_BITS
    frames: list[bytes] = []
    for at in range(0, len(padded), _MP2_FRAME):
        block = np.ascontiguousarray(padded[at : at + _MP2_FRAME]).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(block, format="s16", layout="stereo")
        frame.sample_rate, frame.pts = rate, at
        frames += [bytes(packet) for packet in coder.encode(frame)]
    frames += [bytes(packet) for packet in coder.encode(None)]
    with open(path, "wb") as file:  # noqa: PTH123
        for index in made.order:
            begin, end = made.parts[index]
            file.writelines(frames[begin // _MP2_FRAME : -(-end // _MP2_FRAME)])


def write_sound(
    path: str, sound: NDArray[np.float32], rate: int, title: str, artist: str, album: str
) -> None:
    """Write a file in the format of its name, with its tags where they are not empty."""
    import soundfile

    settings: dict[str, Any] = {}
    if path.endswith(".mp3"):
        settings = {"compression_level": 0.6, "bitrate_mode": "CONSTANT"}
    elif path.endswith(".flac"):
        settings = {"compression_level": 0.1}  # building fast matters more than size
    with soundfile.SoundFile(path, "w", rate, 2, **settings) as file:
        if title:
            file.title, file.artist = title, artist
        if album:
            file.album = album
        for at in range(0, len(sound), _VORBIS_BLOCK):
            file.write(sound[at : at + _VORBIS_BLOCK])
    if path.endswith(".mp3"):
        _tag(path, title, artist, album)


def _tag(path: str, title: str, artist: str, album: str) -> None:
    from mutagen.easyid3 import EasyID3

    tags = EasyID3()  # type: ignore[no-untyped-call]
    tags["title"], tags["artist"] = title, artist
    if album:
        tags["album"] = album
    tags.save(path)
