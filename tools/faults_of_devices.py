"""The clock, and sound devices that are lost, stall, or were never there."""

from __future__ import annotations

import shutil
import signal
import subprocess
import time
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


from fault_table import fault


@fault(
    "clock set an hour on and back", "The clock moved by", before=True, lasts_s=15, complete=False
)
def _(at: Station) -> Callable[[], object]:
    compiler, library = shutil.which("cc"), at.base / "shifted.so"
    if compiler is None:
        raise OSError("there is no C compiler to shift a clock with")
    source = Path(__file__).with_name("shifted_clock.c")
    subprocess.run(
        [compiler, "-shared", "-fPIC", "-o", str(library), str(source), "-ldl"], check=True
    )
    rule = at.base / "shift"
    rule.write_text("0\n")
    at.env |= {"LD_PRELOAD": str(library), "SHIFT_FILE": str(rule)}
    at.air()
    time.sleep(4)
    at.mark()
    rule.write_text("3600\n")
    return lambda: rule.write_text("0\n") and None


_SINK = "module-null-sink sink_name=nul rate=48000 channels=2 format=s16le norewinds=1"


def _pulse(at: Station) -> subprocess.Popen[bytes]:
    """A paced sound device in user space; OSError where there is none to be had."""
    if shutil.which("pulseaudio") is None:
        raise OSError("pulseaudio is not installed")
    home = at.base / "pulse"
    home.mkdir(mode=0o700, exist_ok=True)
    alsa = at.base / "asound.conf"
    alsa.write_text(
        "</usr/share/alsa/alsa.conf>\n"
        'pcm.nul { type pulse device "nul" hint { show on description "n" } }\n'
    )
    at.env |= {
        "PULSE_SERVER": f"unix:{home}/pulse.sock",
        "ALSA_CONFIG_PATH": str(alsa),
        "HOME": str(home),
    }
    command = [
        "pulseaudio",
        "-n",
        "--daemonize=no",
        "--exit-idle-time=-1",
        "--use-pid-file=no",
        "--disable-shm=yes",
        "-L",
        f"module-native-protocol-unix socket={home}/pulse.sock auth-anonymous=1",
        "-L",
        _SINK,
    ]
    made = subprocess.Popen(
        command, env=at.env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    at.processes.append(made)
    if not at.wait((home / "pulse.sock").exists, 10):
        raise OSError("pulseaudio does not start here")
    time.sleep(0.5)
    return made


def _plays(at: Station) -> bool:
    sight = at.sight()
    return sight is not None and not sight["sight"]["problem"]


def _on_device(at: Station) -> subprocess.Popen[bytes]:
    """Put the station on air by a sound device; returns the process that is the device."""
    device = _pulse(at)
    at.air("--output", "device", "--device", "nul", heard=False)
    if not at.wait(lambda: _plays(at), 15):
        raise AssertionError("the device does not play")
    at.mark()
    return device


@fault("sound device lost and back", "the sound device", before=True, lasts_s=12, complete=False)
def _(at: Station) -> Callable[[], object]:
    device = _on_device(at)
    device.kill()
    device.wait()
    (at.base / "pulse/pulse.sock").unlink(missing_ok=True)

    def back() -> None:
        _pulse(at)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played again")

    return back


@fault(
    "sound device stalled for 8 s",
    "the sound device takes no more sound",
    before=True,
    lasts_s=8,
    complete=False,
)
def _(at: Station) -> Callable[[], object]:
    device = _on_device(at)
    device.send_signal(signal.SIGSTOP)

    def back() -> None:
        device.send_signal(signal.SIGCONT)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played again")

    return back


def on_no_device(at: Station) -> Callable[[], object]:
    """Have a sound server that is gone; returns what brings it back."""
    _pulse(at).kill()
    (at.base / "pulse/pulse.sock").unlink(missing_ok=True)

    def back() -> None:
        _pulse(at)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played")

    return back


@fault("no sound device at the start", "cannot be opened", before=True, lasts_s=8, complete=False)
def _(at: Station) -> Callable[[], object]:
    back = on_no_device(at)
    at.mark()
    at.air("--output", "device", "--device", "nul", heard=False)
    return back
