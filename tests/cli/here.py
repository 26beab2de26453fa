"""A command run as a shell would, but in this process, which has everything imported."""

import contextlib
import io
import traceback
from typing import NamedTuple

from nightly_spindle.cli.main import main


class Ran(NamedTuple):
    returncode: int
    stdout: str
    stderr: str


def run_here(words):
    """Run a command of the program, `words` after its name; an error of its own is its trace."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main(list(words))
        except SystemExit as error:
            status = error.code
        except Exception:  # noqa: BLE001 - as a shell would see it
            traceback.print_exc()
            status = 1
    return Ran(status, out.getvalue(), err.getvalue())
