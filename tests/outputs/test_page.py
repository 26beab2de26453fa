"""The station's page at work: written whole, served read-only, alive in a real browser."""

import http.client
import json
import shutil
import subprocess
import threading
import time
from zoneinfo import ZoneInfo

import pytest
from conftest import PATIENCE_S, wait
from stream_cases import BLOCK, EPOCH_US, RATE, closed_port

from nightly_spindle.core.outputs.now_playing import Shown
from nightly_spindle.core.outputs.outputs import Output, PageOptions
from nightly_spindle.core.outputs.web_page import OnToday
from nightly_spindle.outputs.page_output import PageFacts, PageOutput

TZ = ZoneInfo("Europe/Lisbon")
BAD = '</script><script>document.title="taken"</script><img src=x onerror="document.title=1">'


def page_of(folder, facts=PageFacts, serve=""):
    output = Output(1, "Page", PageOptions(serve=serve))
    made = PageOutput(output, RATE, BLOCK, folder, "Pier", TZ, facts)
    made.start()
    return made


def shown(number, text=None):
    text = text or f"Wren - Song {number}"
    return Shown(EPOCH_US + number * 60_000_000, text, "Wren", text.removeprefix("Wren - "), number)


def now_of(folder):
    try:
        return json.loads((folder / "web" / "now.json").read_text())
    except FileNotFoundError:
        return {"now": None, "recent": []}


def titles(folder):
    value = now_of(folder)
    return [(value["now"] or {}).get("text"), *(one["text"] for one in value["recent"])]


def end(made):
    made.leave()
    made.join(10)


def test_each_title_is_written_and_past_ones_are_kept_over_a_restart(tmp_path):
    made = page_of(tmp_path, lambda: PageFacts(kept=2, today=[OnToday("Late show", EPOCH_US)]))
    for number in (1, 2, 3, 4):
        made.put(shown(number))
        wait(lambda n=number: titles(tmp_path)[0] == f"Wren - Song {n}")
    assert titles(tmp_path) == [f"Wren - Song {n}" for n in (4, 3, 2)]
    assert "Late show" in (tmp_path / "web/index.html").read_text()
    assert (tmp_path / "web/now.txt").read_text() == "Wren - Song 4\n"
    end(made)
    again = page_of(tmp_path)
    again.put(shown(5))
    wait(lambda: titles(tmp_path)[0] == "Wren - Song 5")
    assert titles(tmp_path) == [f"Wren - Song {n}" for n in (5, 4, 3, 2, 1)]
    end(again)
    assert not list((tmp_path / "web").glob(".*"))


def test_a_reader_never_sees_half_a_file(tmp_path):
    made = page_of(tmp_path)
    made.put(shown(1))
    wait(lambda: titles(tmp_path)[0])
    wrong, stopping = [], threading.Event()

    def read():
        while not stopping.is_set():
            try:
                json.loads((tmp_path / "web/now.json").read_text())
            except ValueError as error:
                wrong.append(error)

    thread = threading.Thread(target=read)
    thread.start()
    for number in range(2, 80):
        made.put(shown(number))
    wait(lambda: titles(tmp_path)[0] == "Wren - Song 79")
    stopping.set()
    thread.join()
    end(made)
    assert not wrong


def test_titles_wait_until_listeners_hear_them(tmp_path):
    made = page_of(tmp_path, lambda: PageFacts(delay_s=1.5))
    made.put(shown(1))
    made.put(shown(2))
    put = time.monotonic()
    wait(lambda: titles(tmp_path)[0] == "Wren - Song 2")
    assert time.monotonic() - put > 1.4
    end(made)


def test_damaged_past_titles_are_done_without(tmp_path):
    (tmp_path / "web").mkdir()
    (tmp_path / "web/recent.json").write_text('[{"at_us": "x"}]')
    made = page_of(tmp_path)
    made.put(shown(1))
    wait(lambda: titles(tmp_path) == ["Wren - Song 1"])
    end(made)


def test_it_is_served_read_only_and_nothing_else_is(tmp_path):
    (tmp_path / "passwords.json").write_text("{}")
    (tmp_path / "web").mkdir()
    (tmp_path / "web/secret.txt").write_text("no")
    port = closed_port()
    made = page_of(tmp_path, serve=f"127.0.0.1:{port}")
    made.put(shown(1))
    wait(lambda: titles(tmp_path)[0])

    def ask(path, method="GET"):
        line = http.client.HTTPConnection("127.0.0.1", port, timeout=PATIENCE_S)
        line.request(method, path)
        answer = line.getresponse()
        return answer.status, answer.getheader("Content-Type"), answer.read()

    assert ask("/")[:2] == (200, "text/html; charset=utf-8")
    assert json.loads(ask("/now.json?x=1")[2])["now"]["text"] == "Wren - Song 1"
    assert ask("/now.txt", "HEAD") == (200, "text/plain; charset=utf-8", b"")
    for path in ("/secret.txt", "/../passwords.json", "/%2e%2e/passwords.json", "//etc/passwd"):
        assert ask(path)[0] == 404, path
    for method in ("POST", "PUT", "DELETE"):
        assert ask("/now.json", method)[0] == 501
    end(made)


def test_an_address_that_is_taken_is_told_and_tried_again(tmp_path, monkeypatch):
    import socket

    monkeypatch.setattr("nightly_spindle.outputs.page_output._AGAIN_S", 0.1)
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        made = page_of(tmp_path, serve=f"127.0.0.1:{other.getsockname()[1]}")
        wait(lambda: made.sight.state == "down")
        assert "Address already in use" in made.sight.problem
    made.put(shown(1))
    wait(lambda: made.sight.state == "up")
    end(made)


def browser(url, *options):
    if shutil.which("chromium") is None:
        pytest.skip("chromium is not installed; `make streams` installs it")
    done = subprocess.run(
        ["chromium", "--headless", "--no-sandbox", "--disable-gpu", *options, "--dump-dom", url],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
    )
    assert done.stdout, done.stderr
    return done.stdout


def test_a_browser_shows_titles_as_text_and_they_change_by_themselves(tmp_path):
    """Chromium, headless; hostile titles run nothing."""
    port = closed_port()
    made = page_of(tmp_path, serve=f"127.0.0.1:{port}")
    made.put(shown(1, BAD))
    wait(lambda: titles(tmp_path)[0])
    url = f"http://127.0.0.1:{port}/"
    hostile = browser(url, "--virtual-time-budget=3000")
    assert "&lt;/script&gt;" in hostile
    assert "<img" not in hostile
    assert "<title>taken" not in hostile
    made.put(shown(2))
    wait(lambda: titles(tmp_path)[0] == "Wren - Song 2")
    (tmp_path / "web/index.html").write_text(  # as a reader has it who came before the change
        (tmp_path / "web/index.html").read_text().replace("Song 2", "Song 0")
    )
    live = browser(url, "--virtual-time-budget=3000")
    assert '<p class="title" id="title">Song 2</p>' in live
    assert "<title>Wren - Song 2 · Pier</title>" in live
    assert "taken" not in live.split("</title>", 1)[0]
    assert live.count("<script>") == 1
    end(made)
