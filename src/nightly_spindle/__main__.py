"""`python -m nightly_spindle` is the command `nightly-spindle`."""

from nightly_spindle.cli.main import run

if __name__ == "__main__":
    run()
