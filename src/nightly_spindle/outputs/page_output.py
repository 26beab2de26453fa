"""The station's page: its files are written anew with every title, whole or not at all."""

from __future__ import annotations

import json
import logging
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.outputs.now_playing import Shown
from nightly_spindle.core.outputs.output_health import OutputState, Trouble
from nightly_spindle.core.outputs.outputs import PageOptions, host_and_port
from nightly_spindle.core.outputs.web_page import (
    HeardAt,
    OnToday,
    PageContent,
    now_json,
    now_text,
    page_html,
)
from nightly_spindle.outputs.page_server import PageServer
from nightly_spindle.outputs.queued_output import QueuedOutput

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.outputs.outputs import Output

_TAKE_S = 0.5
_ANEW_S = 60.0  # the day's programme, and what comes, may have changed
_AGAIN_S = 10.0
_MOST_KEPT = 500
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class PageFacts:
    """What the page says besides what is on. `delay_s`: how far behind listeners are."""

    kept: int = 20
    coming: Sequence[str] = ()
    today: Sequence[OnToday] = ()
    streams: Sequence[HeardAt] = ()
    delay_s: float = 0.0


class FactsSource(Protocol):
    """Gives what the page says besides what is on; may take a moment."""

    def __call__(self) -> PageFacts:
        """Return it as of now."""
        ...


class PageOutput(QueuedOutput):
    """Writes and serves the page. Blocks of sound pass by it."""

    def __init__(
        self,
        output: Output,
        rate: int,
        block: int,
        station: Path,
        name: str,
        tz: ZoneInfo,
        facts: FactsSource,
    ) -> None:
        super().__init__(output, rate, block)
        assert isinstance(output.options, PageOptions)
        self._options = output.options
        self._folder = station / output.options.folder
        self._name, self._tz, self._facts = name, tz, facts
        self._now: Shown | None = None
        self._recent: deque[Shown] = deque(maxlen=_MOST_KEPT)
        self._due: deque[tuple[float, Shown]] = deque()  # titles, and when listeners hear them
        self._server: PageServer | None = None

    def put(self, what: object) -> None:
        """Take a title; sound is nothing to the page."""
        if isinstance(what, Shown):
            super().put(what)

    def work(self) -> None:
        """Write the page anew whenever something of it changes."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._read_recent()
            self._serve()
            self._go_on()
        except (OSError, StorageFault) as error:
            why = getattr(error, "strerror", None) or error
            said = f"the page cannot be written or served: {why}"
            if said != self.sight.problem:
                _log.warning("the output “%s” is down: %s", self.output.name, said)
            self.see(OutputState.DOWN, Trouble.PAGE, said)
            self.leaving.wait(_AGAIN_S)
        finally:
            if self._server is not None:
                self._server.stop()
                self._server = None

    def _serve(self) -> None:
        if self._options.serve:
            host, port = host_and_port(self._options.serve)
            self._server = PageServer(self._folder, host, port)

    def _go_on(self) -> None:
        written = 0.0
        facts = self._facts()
        while not self.leaving.is_set():
            what = self.take(_TAKE_S)
            if isinstance(what, Shown):
                facts = self._facts()
                self._due.append((time.monotonic() + max(0.0, facts.delay_s), what))
            now = time.monotonic()
            changed = False
            while self._due and self._due[0][0] <= now:
                self._show(self._due.popleft()[1])
                changed = True
            if changed or now - written >= _ANEW_S:
                facts = facts if changed else self._facts()
                self._write(facts)
                written = now
                self.see(OutputState.UP, Trouble.NONE, "")

    def _show(self, shown: Shown) -> None:
        if self._now is not None and self._now.cart:
            self._recent.appendleft(self._now)
        self._now = shown

    def _write(self, facts: PageFacts) -> None:
        page = PageContent(
            self._name,
            self._tz,
            time.time_ns() // 1000,
            self._now,
            list(self._recent)[: facts.kept],
            facts.coming,
            facts.today,
            facts.streams,
        )
        total = 0
        for name, text in (
            ("now.json", now_json(page)),
            ("now.txt", now_text(page)),
            ("recent.json", self._recent_json()),
            ("index.html", page_html(page)),
        ):
            total += replace_file(self._folder / name, text)
        self.see(sent=self.sight.sent + total)

    def _recent_json(self) -> str:
        rows = [
            {
                "at": iso(one.at_us, self._tz),
                "at_us": one.at_us,
                "text": one.text,
                "artist": one.artist,
                "title": one.title,
                "cart": one.cart,
                "kind": str(one.kind),
            }
            for one in ([self._now] if self._now is not None else []) + list(self._recent)
        ]
        return json.dumps(rows, ensure_ascii=False, indent=1) + "\n"

    def _read_recent(self) -> None:
        """Go on with the past titles of an engine before this one."""
        if self._now is not None or self._recent:
            return
        try:
            rows = json.loads((self._folder / "recent.json").read_bytes())
            found = [
                Shown(
                    int(row["at_us"]),
                    str(row["text"]),
                    str(row["artist"]),
                    str(row["title"]),
                    int(row["cart"]),
                    Kind(row["kind"]),
                )
                for row in rows
            ]
        except FileNotFoundError:
            return
        except (OSError, ValueError, KeyError, TypeError) as error:
            _log.info("the past titles cannot be read: %s", error)
            return
        self._recent.extend(one for one in found if one.cart)
