"""`python -m nightly_spindle` is the command `nightly-spindle`."""

from nightly_spindle.cli.main import run

run()
