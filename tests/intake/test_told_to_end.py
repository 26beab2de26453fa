"""An intake that is told to end ends, wherever the signal meets it."""

import sys
import threading

from nightly_spindle.intake.service import Service
from nightly_spindle.store.base.station_folder import new_station

_PATIENCE_S = 20.0
_WITHIN = 2  # lines into a wait, its lock is taken


def test_a_signal_that_comes_while_it_rests_ends_it(tmp_path):
    folder = tmp_path / "st"
    new_station(folder, {"name": "Bare", "timezone": "UTC"})
    service = Service(folder)
    met = []

    def line(frame, event, _arg):
        # handlers run in the thread that they interrupt: a lock that this holds is held
        met.append(frame.f_code.co_name)
        if event == "line" and (met.count("wait") == _WITHIN or len(met) > 60):
            sys.settrace(None)
            service.leave()
            return None
        return line

    def come(frame, _event, _arg):
        rests = frame.f_code.co_name == "wait" and frame.f_back.f_code is Service.run.__code__
        return line if rests or frame.f_code is Service.run.__code__ else None

    def run():
        sys.settrace(come)
        service.run()

    # a daemon: one that hangs is left behind
    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    thread.join(_PATIENCE_S)
    assert met
    assert not thread.is_alive(), f"it hangs, told in {met[-1]}"
