"""The station's page on the web and the files beside it: what is on, was on, comes, is today.

One HTML page that asks nobody for anything: works without a script, dark and light, by keyboard and
read aloud. Whatever an item or an event is called, it is text and never markup.
"""

from __future__ import annotations

import json
from base64 import b64encode
from collections.abc import Sequence
from dataclasses import dataclass
from hashlib import sha256
from html import escape
from typing import Any
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import iso, moment_from
from nightly_spindle.core.outputs.now_playing import Shown

VERSION = 1  # of now.json, counted up when a field changes its meaning
_REFRESH_S = 30  # without a script


@dataclass(frozen=True, slots=True)
class HeardAt:
    """A stream that the page plays: its name, its address, its media type."""

    name: str
    url: str
    media_type: str


@dataclass(frozen=True, slots=True)
class OnToday:
    """An entry of the day's programme; `end_us` is 0 where its end is not known."""

    name: str
    start_us: int
    end_us: int = 0


@dataclass(frozen=True, slots=True)
class PageContent:
    """All that the page says, as of an instant. `coming` is empty where the station says nothing.

    `recent` are past titles, the newest first, what is on now not among them.
    """

    station: str
    tz: ZoneInfo
    made_us: int
    now: Shown | None = None
    recent: Sequence[Shown] = ()
    coming: Sequence[str] = ()
    today: Sequence[OnToday] = ()
    streams: Sequence[HeardAt] = ()


def now_json(page: PageContent) -> str:
    """Return `now.json`, as `docs/now.schema.json` has it."""
    tz = page.tz
    value = {
        "version": VERSION,
        "station": page.station,
        "updated": iso(page.made_us, tz),
        "now": _shown(page.now, tz) if page.now is not None else None,
        "recent": [_shown(one, tz) for one in page.recent],
        "coming": list(page.coming),
        "today": [
            {
                "name": one.name,
                "start": iso(one.start_us, tz),
                "end": iso(one.end_us, tz) if one.end_us else None,
            }
            for one in page.today
        ],
        "streams": [
            {"name": one.name, "url": one.url, "type": one.media_type} for one in page.streams
        ],
    }
    return json.dumps(value, ensure_ascii=False, indent=1) + "\n"


def _shown(one: Shown, tz: ZoneInfo) -> dict[str, Any]:
    return {
        "text": one.text,
        "artist": one.artist or None,
        "title": one.title or None,
        "kind": str(one.kind),
        "since": iso(one.at_us, tz),
    }


def now_text(page: PageContent) -> str:
    """Return `now.txt`: what is on, in one line."""
    return (page.now.text if page.now is not None else page.station) + "\n"


def page_html(page: PageContent) -> str:
    """Return `index.html`."""
    station = escape(page.station)
    return _HTML.format(
        station=station,
        title=f"{escape(page.now.text)} · {station}" if page.now is not None else station,
        refresh=_REFRESH_S,
        style=_STYLE,
        script=_SCRIPT,
        policy=escape(content_policy()),
        now=_now(page),
        players="".join(_player(one, page.station) for one in page.streams),
        coming=_part("Coming up", "coming", "".join(f"<li>{escape(o)}</li>" for o in page.coming)),
        recent=_part("Just played", "recent", "".join(_line(one, page.tz) for one in page.recent)),
        today=_part("Today", "today", "".join(_entry(one, page.tz) for one in page.today)),
    )


def content_policy() -> str:
    """Return the policy that the page runs under: its own style, script, sound, nothing else."""
    parts = {
        "default-src": "'none'",
        "style-src": f"'sha256-{_digest(_STYLE)}'",
        "script-src": f"'sha256-{_digest(_SCRIPT)}'",
        "connect-src": "'self'",
        "media-src": "http: https:",
        "base-uri": "'none'",
        "form-action": "'none'",
    }
    return "; ".join(f"{name} {value}" for name, value in parts.items())


def _digest(text: str) -> str:
    return b64encode(sha256(text.encode()).digest()).decode()


def _now(page: PageContent) -> str:
    if page.now is None:
        return '<p class="title" id="title">Nothing is on air.</p><p id="artist"></p>'
    title, artist = page.now.title or page.now.text, page.now.artist
    return f'<p class="title" id="title">{escape(title)}</p><p id="artist">{escape(artist)}</p>'


def _player(one: HeardAt, station: str) -> str:
    said = escape(f"Listen to {station}: {one.name}")
    return (
        f'<figure><audio controls preload="none" aria-label="{said}" src="{escape(one.url)}">'
        f'<a href="{escape(one.url)}">{escape(one.name)}</a></audio>'
        f'<figcaption><a href="{escape(one.url)}">{escape(one.name)}</a></figcaption></figure>'
    )


def _part(heading: str, name: str, lines: str) -> str:
    hidden = "" if lines else " hidden"
    return (
        f'<section id="{name}-part" aria-labelledby="{name}-head"{hidden}>'
        f'<h2 id="{name}-head">{heading}</h2><ol id="{name}">{lines}</ol></section>'
    )


def _line(one: Shown, tz: ZoneInfo) -> str:
    return f"<li>{_time(one.at_us, tz)} {escape(one.text)}</li>"


def _entry(one: OnToday, tz: ZoneInfo) -> str:
    until = f"–{_time(one.end_us, tz)}" if one.end_us else ""
    return f"<li>{_time(one.start_us, tz)}{until} {escape(one.name)}</li>"


def _time(at_us: int, tz: ZoneInfo) -> str:
    return f'<time datetime="{iso(at_us, tz)}">{moment_from(at_us, tz):%H:%M}</time>'


_STYLE = """
:root { color-scheme: light dark; --ground: #f4efe6; --ink: #23303a; --quiet: #5b6770;
  --lamp: #a8560c; --line: #d8cfbf; }
@media (prefers-color-scheme: dark) {
  :root { --ground: #141a21; --ink: #ece6da; --quiet: #9fabb5; --lamp: #f0b35a; --line: #2b3540; }
}
* { box-sizing: border-box; }
body { margin: 0; background: var(--ground); color: var(--ink);
  font: 1.05rem/1.5 system-ui, sans-serif; }
main { max-width: 60rem; margin: 0 auto; padding: 1.5rem 1.25rem 3rem; }
h1 { font-size: 1.25rem; margin: 0 0 1.5rem; letter-spacing: 0.02em; }
h2 { font-size: 0.95rem; margin: 0 0 0.5rem; color: var(--quiet); font-weight: 600; }
.now { border-left: 0.4rem solid var(--lamp); padding: 0.25rem 0 0.25rem 1rem; margin: 0 0 1.5rem; }
.now .title { font-size: clamp(1.6rem, 6vw, 2.6rem); line-height: 1.15; margin: 0;
  font-weight: 700; overflow-wrap: anywhere; }
.now p { margin: 0.25rem 0 0; color: var(--quiet); overflow-wrap: anywhere; }
.now .title, .now .label { color: var(--ink); }
.now .label { font-size: 0.95rem; color: var(--lamp); margin: 0 0 0.25rem; font-weight: 600; }
.players { display: flex; flex-wrap: wrap; gap: 1rem; margin: 0 0 2rem; }
figure { margin: 0; flex: 1 1 18rem; }
audio { width: 100%; }
figcaption { font-size: 0.9rem; }
a { color: var(--lamp); }
a:focus-visible, audio:focus-visible { outline: 3px solid var(--lamp); outline-offset: 2px; }
.parts { display: grid; grid-template-columns: repeat(auto-fit, minmax(16rem, 1fr)); gap: 2rem; }
ol { list-style: none; margin: 0; padding: 0; }
li { padding: 0.35rem 0; border-top: 1px solid var(--line); overflow-wrap: anywhere; }
time { color: var(--quiet); font-variant-numeric: tabular-nums; }
"""
_SCRIPT = """
"use strict";
const line = (time, text) => {
  const li = document.createElement("li");
  if (time) {
    const at = document.createElement("time");
    at.dateTime = time;
    at.textContent = time.slice(11, 16);
    li.append(at, " ");
  }
  li.append(text);
  return li;
};
const fill = (name, lines) => {
  document.getElementById(name).replaceChildren(...lines);
  document.getElementById(name + "-part").hidden = lines.length === 0;
};
let shown = "";
const look = async () => {
  try {
    const answer = await fetch("now.json", { cache: "no-store" });
    if (!answer.ok) return;
    const text = await answer.text();
    if (text === shown) return;
    shown = text;
    const page = JSON.parse(text);
    const now = page.now || { text: "Nothing is on air." };
    document.getElementById("title").textContent = now.title || now.text;
    document.getElementById("artist").textContent = now.artist || "";
    document.title = now.text + " · " + page.station;
    fill("recent", page.recent.map((one) => line(one.since, one.text)));
    fill("coming", page.coming.map((one) => line("", one)));
  } catch (error) {
    // the next look may find it again
  }
};
look();
setInterval(look, 10000);
"""
_HTML = """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="{policy}">
<noscript><meta http-equiv="refresh" content="{refresh}"></noscript>
<title>{title}</title>
<style>{style}</style>
</head>
<body>
<main>
<h1>{station}</h1>
<div class="now" role="status" aria-live="polite">
<p class="label">On air now</p>
{now}
</div>
<div class="players">{players}</div>
<div class="parts">{coming}{recent}{today}</div>
</main>
<script>{script}</script>
</body>
</html>
"""
