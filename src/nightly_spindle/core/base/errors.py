"""The errors that a person is told about, in one clear sentence each.

    NightlySpindleError
    |-- InputFault          what was given cannot be used            (exit status 2)
    |   |-- SettingRefused  a setting's value: name, value, what is allowed
    |   |-- StationNotFound no station in that folder
    |   |-- LogUnreadable   a log file that is not a log
    |   `-- AudioUnreadable an audio file that cannot be decoded
    `-- EnvironmentFault    it could not be done here and now        (exit status 1)
        |-- AlreadyOnAir    another engine holds the station
        |-- NotOnAir        no engine answers
        |-- LockHeld        another process has the lock (its number)
        |-- StorageFault    disk full, database locked or newer than this program
        `-- OutputFault     the sound device is gone or refuses

Our own mistakes are neither, and are not caught.
"""

from __future__ import annotations


def clipped(said: object, most: int = 160) -> str:
    """Return a text in a length that fits into a sentence: foreign files hold words without end."""
    text = str(said)
    return text if len(text) <= most else f"{text[: most - 1]}…"


class NightlySpindleError(Exception):
    """Anything that is reported to a person in one sentence."""

    exit_status = 1


class InputFault(NightlySpindleError):
    """What was given cannot be used."""

    exit_status = 2


class SettingRefused(InputFault):
    """A setting has a value that is not allowed."""


class StationNotFound(InputFault):
    """There is no station in the folder."""


class LogUnreadable(InputFault):
    """A file is not a log that can be read."""


class AudioUnreadable(InputFault):
    """A file cannot be decoded as audio."""


class EnvironmentFault(NightlySpindleError):
    """It could not be done here and now."""


class AlreadyOnAir(EnvironmentFault):
    """Another engine holds the station."""


class NotOnAir(EnvironmentFault):
    """No engine answers for the station."""


class LockHeld(EnvironmentFault):
    """Another process has the lock; the text is its process number."""


class StorageFault(EnvironmentFault):
    """The database or the disk refuses."""


class OutputFault(EnvironmentFault):
    """The sound output is lost or cannot be opened."""
