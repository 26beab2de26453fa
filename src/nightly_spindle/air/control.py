"""The control socket: carries out what is asked, as `air.messages` has it, and pushes sights."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import threading
import time
from dataclasses import fields
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle import __version__
from nightly_spindle.air.messages import (
    OPERATIONS,
    VERSION,
    AwayFolder,
    EngineState,
    EventFired,
    Fire,
    FormerJoin,
    FormerTag,
    FormerWish,
    GoneLine,
    Insert,
    Inserted,
    Load,
    LoadTaken,
    Move,
    Moved,
    Remove,
    Removed,
    SetJoin,
    SetOverlay,
    State,
    ToldFinding,
    Watch,
    Watching,
    other_version,
)
from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault, InputFault, NightlySpindleError
from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.items import MOST_CART
from nightly_spindle.core.playout.overlay_wishes import wish_from, wish_values
from nightly_spindle.core.programme.running_order import LoadOrder, Outcome, OverlayWish
from nightly_spindle.core.programme.sequencer_actions import Dropped, Fired
from nightly_spindle.core.segues.segue_rules import JoinEdit, edit_from, edit_values
from nightly_spindle.core.station.log_sources import ReadingState

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from nightly_spindle.air.engine import Engine
    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.store.programme.snapshot import Snapshot

_log = logging.getLogger(__name__)
_LONGEST = 1 << 20  # bytes of one request
_WATCH_S = 0.1
_AGAIN_S = 5.0  # until a socket that could not be opened is tried again
_MOST_CLIENTS = 64  # open lines: a desk or two and commands; files need handles too
_MOST_NUMBER = 2**53  # what JSON carries exactly, and more than any frame or microsecond there is
_DEEPEST = 40
_SAVED_S = 4.0  # longer than a file must stand unchanged
_LAST_ANSWERS_S = 1.0  # for what was asked just before the end, `leave` above all


class Control:
    """Serves one engine on a Unix socket that only its owner can open."""

    def __init__(self, engine: Engine, folder: Path) -> None:
        self._engine = engine
        self._folder = folder
        self._path: Path | None = None  # of the socket, while there is one
        self._stopping = threading.Event()
        self._told = ""
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="control", daemon=True)
        self._ready = threading.Event()
        self._clients = 0
        self._owed: set[asyncio.Future[None]] = set()  # answers to what was asked
        self._server: asyncio.Server | None = None
        self.moved = time.monotonic()  # when its thread last went round
        self._ops: dict[str, Callable[[Any], Any]] = {
            "state": self._state,
            "skip": lambda _: engine.apply(engine.sequencer.skip()),
            "stop": lambda _: engine.apply(engine.sequencer.stop()),
            "go": lambda _: engine.sequencer.go(),
            "unattended": lambda asked: engine.sequencer.set_unattended(asked.on),
            "insert": self._insert,
            "remove": self._remove,
            "move": self._move,
            "join": self._join,
            "overlay": self._overlay,
            "overlays": lambda asked: engine.sequencer.edits.set_overlays(on=asked.on),
            "tag": lambda asked: FormerTag(engine.sequencer.edits.set_tag(asked.line, asked.tag)),
            "load": self._load,
            "fire": self._fire,
            "forget": lambda asked: engine.sequencer.edits.forget_order(asked.order),
            "leave": lambda _: engine.leave(),
        }

    def start(self) -> None:
        """Open the socket and serve from a thread; that it cannot be opened is told, not raised."""
        self._thread.start()
        self._ready.wait(5)

    def stop(self) -> None:
        """Close the socket."""
        self._stopping.set()
        if self._thread.is_alive():
            with contextlib.suppress(RuntimeError):  # its thread closed the loop just now
                self._loop.call_soon_threadsafe(self._loop.stop)
            self._thread.join(timeout=5)
        if self._path is not None:
            self._path.unlink(missing_ok=True)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        try:
            while not self._stopping.is_set():
                try:
                    self._serve_until_stopped(socket_path(self._folder))
                except (OSError, EnvironmentFault) as error:
                    self._tell(str(error))
                self._ready.set()
                self.moved = time.monotonic()
                self._stopping.wait(_AGAIN_S)
        finally:
            self._ready.set()
            self._loop.close()

    def _tell(self, why: str) -> None:
        """Tell once that there is no socket; it is tried again."""
        if why != self._told:
            self._told = why
            self._engine.tell_alarm(
                "no-socket",
                f"No desk can reach the engine: {why}.",
                "Set XDG_RUNTIME_DIR to a folder of your own.",
            )

    def _serve_until_stopped(self, path: Path) -> None:
        self._path = path
        path.unlink(missing_ok=True)  # the lock is ours, so nobody serves it
        self._loop.run_until_complete(self._listen(path))
        beat = self._loop.create_task(self._beat(path))
        self._ready.set()
        self._loop.run_forever()
        beat.cancel()
        self._loop.run_until_complete(self._end())

    async def _end(self) -> None:
        """Let nobody in any more, give the answers that are owed, and cut the lines."""
        if self._server is not None:
            self._server.close()
        if self._owed:
            await asyncio.wait(self._owed, timeout=_LAST_ANSWERS_S)
        rest = asyncio.all_tasks() - {asyncio.current_task()}
        for task in rest:
            task.cancel()
        await asyncio.gather(*rest, return_exceptions=True)

    async def _listen(self, path: Path) -> None:
        before = os.umask(0o177)
        try:
            self._server = await asyncio.start_unix_server(self._serve, str(path), limit=_LONGEST)
        finally:
            os.umask(before)

    async def _beat(self, path: Path) -> None:
        """Say that the thread moves; open the socket again where somebody removed it."""
        while True:
            self.moved = time.monotonic()
            if not self._is_there():
                _log.warning("%s was removed; it is opened again", path)
                # where its folder went too and none can be made: tried again
                with contextlib.suppress(OSError, EnvironmentFault):
                    socket_path(self._folder)  # makes the folder
                    await self._listen(path)
            await asyncio.sleep(0.5)

    def _is_there(self) -> bool:
        return self._path is not None and self._path.exists()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self._clients >= _MOST_CLIENTS:
            writer.write(_line({"error": f"{_MOST_CLIENTS} lines to the engine are open already"}))
            writer.close()
            return
        watching: asyncio.Task[None] | None = None
        self._clients += 1
        try:
            while True:
                try:
                    request = await reader.readline()
                except ValueError:
                    writer.write(_line({"error": f"a request has at most {_LONGEST} bytes"}))
                    break
                if not request:
                    break
                owed = self._loop.create_future()
                self._owed.add(owed)
                try:
                    answer = await self._answer(request)
                    if isinstance(answer.get("ok"), Watching) and watching is None:
                        watching = self._loop.create_task(self._push(writer))
                    writer.write(_line(answer))
                    await writer.drain()
                finally:
                    self._owed.discard(owed)
                    owed.cancel()
        except (ConnectionError, asyncio.CancelledError):
            pass  # the client went away, or the engine ends: nothing is owed
        finally:
            self._clients -= 1
            if watching is not None:
                watching.cancel()
            writer.close()

    async def _push(self, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(ConnectionError):
            while not writer.is_closing():
                if self._engine.sight is not None:
                    writer.write(_line({"sight": self._engine.sight}))
                    await writer.drain()
                await asyncio.sleep(_WATCH_S)

    async def _answer(self, request: bytes) -> dict[str, Any]:
        """Return the answer to one request; whatever it holds, there is one."""
        asked: Any = None
        try:
            body = _request_of(request)
            given = body.get("id")
            asked = given if isinstance(given, str) or _in_bounds(given) else None
            answer = await self._carry_out(body)
        except msgspec.ValidationError as error:
            return {"id": asked, "error": f"the request lacks or misstates something: {error}"}
        except msgspec.DecodeError as error:
            return {"id": asked, "error": f"the request is not JSON: {error}"}
        except (KeyError, TypeError, ValueError) as error:
            return {"id": asked, "error": f"the request lacks or misstates {error}"}
        except NightlySpindleError as error:
            return {"id": asked, "error": str(error)}
        except Exception as error:  # noqa: BLE001 - the edge of one request: each gets an answer
            _log.warning("a request could not be carried out", exc_info=error)
            name = type(error).__name__
            return {"id": asked, "error": f"the engine could not do that ({name}: {error})"}
        return {"id": asked, "ok": answer}

    async def _carry_out(self, body: dict[str, Any]) -> Any:
        name, args = body.get("op"), body.get("args", {})
        _check_bounds(args)
        kind = OPERATIONS.get(name) if isinstance(name, str) else None
        if kind is None:
            raise InputFault(f"there is no operation '{name}'")
        _check_names(args)
        asked = msgspec.convert(args, kind)
        if isinstance(asked, Watch):
            if other := other_version(asked.version, VERSION):
                raise EnvironmentFault(other)
            return Watching(VERSION, __version__)
        # reading takes time, and must not hold the sound up
        if isinstance(asked, Insert | SetOverlay):
            await asyncio.to_thread(self._read_items, asked)
        elif isinstance(asked, Load):
            await asyncio.to_thread(self._read_for_load, asked)
        carry_out = self._ops[kind.op]
        return await asyncio.wrap_future(self._engine.ask(lambda: carry_out(asked)))

    # -- operations, run between two blocks ----------------------------------------------

    def _state(self, _asked: State) -> EngineState:
        engine, programme = self._engine, self._engine.programme
        away = [
            AwayFolder(gone.folder, gone.since_us, gone.why) for gone in programme.away.values()
        ]
        return EngineState(
            engine.sequencer.state.copy(),
            os.getpid(),
            engine.sight,
            away,
            programme.settings.timezone,
        )

    def _insert(self, asked: Insert) -> Inserted:
        sequencer = self._engine.sequencer
        if asked.line is not None:
            if asked.line.opens is None:
                self._reach(asked.line.cart)
            return Inserted(sequencer.edits.bring_back(asked.before, asked.line))
        self._reach(asked.cart)
        return Inserted(sequencer.edits.insert(asked.before, asked.cart, line_id=asked.line_id))

    def _read_items(self, asked: Insert | SetOverlay) -> None:
        """Read the items that are to be put in: in a thread of its own, before the pump does it."""
        if isinstance(asked, Insert):
            carts = [asked.cart, asked.line.cart if asked.line is not None else 0]
        else:
            carts = [asked.wish.cart if asked.wish is not None else 0]
        wanted = [cart for cart in carts if 0 < cart <= MOST_CART]
        if wanted:
            self._station().reach(wanted)

    def _station(self) -> Snapshot:
        """Return the station; EnvironmentFault while it is not read."""
        snapshot = self._engine.snapshot
        if snapshot is None:
            raise EnvironmentFault("the engine has not read its station yet; try again in a moment")
        return snapshot

    def _reach(self, cart: int) -> None:
        """InputFault when no such item is in reach."""
        if cart not in self._engine.programme.items:
            raise InputFault(f"no item has the cart number {cart}")

    def _remove(self, asked: Remove) -> Removed:
        engine = self._engine
        gone = engine.sequencer.edits.remove(asked.lines)
        for _, line in gone:
            item = engine.programme.item(line.cart)
            title = item.title if item else f"cart {line.cart}"
            note, at = "removed by hand", engine.sequencer.state.clock.frame
            engine.apply([Dropped(at, line, Outcome.REMOVED, title, note)])
        return Removed([GoneLine(before, line) for before, line in gone])

    def _move(self, asked: Move) -> Moved:
        return Moved(self._engine.sequencer.edits.move(asked.line, asked.before))

    def _join(self, asked: SetJoin) -> FormerJoin:
        edit = None if asked.edit is None else edit_from(edit_values(asked.edit))
        return FormerJoin(self._engine.sequencer.edits.set_join(asked.line, edit))

    def _overlay(self, asked: SetOverlay) -> FormerWish:
        """Set what lies over the start of a line, this time alone."""
        wish = wish_from(wish_values(asked.wish))
        if wish is not None and wish.cart:
            self._reach(wish.cart)
        if wish is not None and wish.pool:
            known = [pool.id for pool in self._engine.programme.pools]
            if wish.pool not in known:
                raise InputFault(f"the engine knows no pool {wish.pool} (yet)")
        return FormerWish(self._engine.sequencer.edits.set_overlay(asked.line, wish))

    def _load_step(self, asked: Load) -> tuple[LogDrop, LoadLog, int]:
        """Return what is to be loaded: drop, step, and the instant of the log's slot."""
        programme = self._engine.programme
        step = LoadLog(asked.drop, slot_us=asked.slot_us, file=asked.file)
        drop = programme.drop_of(step)
        if drop is None:
            raise InputFault(f"there is no log drop {asked.drop}")
        sight = self._engine.sight
        now = sight.now_us if sight else 0
        return drop, step, step.slot_us or max(asked.at_us, now)

    def _read_for_load(self, asked: Load) -> None:
        """Read what is to be loaded; a file that was saved just now is waited for a moment."""
        drop, _, at_us = self._load_step(asked)
        snapshot = self._station()
        slot = snapshot.programme.slot(drop, at_us)
        end = time.monotonic() + _SAVED_S
        while snapshot.logs.refresh(drop, slot).state is ReadingState.GROWING:
            if time.monotonic() > end:
                return  # it is still being written: the answer says so
            time.sleep(0.1)

    def _load(self, asked: Load) -> LoadTaken:
        drop, step, at_us = self._load_step(asked)
        programme = self._engine.programme
        slot = programme.slot(drop, at_us)
        reading = programme.logs.reading(drop, slot)
        why_not = reading.why_not(drop.folder)
        if why_not and not asked.at_us:
            raise InputFault(why_not)
        order = LoadOrder(
            0,
            asked.at_us,
            step.drop,
            slot.start_us,
            step.file,
            str(Entry(asked.entry)),
            str(Placement(asked.placement or drop.options.placement)),
        )
        taken = self._engine.sequencer.edits.load_by_hand(order)
        return LoadTaken(
            taken.id,
            taken.at_us,
            reading.file,
            reading.usable,
            why_not,
            len(reading.carts),
            len(reading.lost),
        )

    def _fire(self, asked: Fire) -> EventFired:
        """Carry a timed event out now, whatever its rule and its switch say."""
        engine = self._engine
        event = engine.programme.event(asked.event)
        if event is None:
            raise InputFault(f"the engine knows no timed event {asked.event} (yet)")
        actions = engine.sequencer.fire_by_hand(event)
        engine.apply(actions)
        fired = [one for one in actions if isinstance(one, Fired)]
        lines = [line for one in fired for line in one.line_ids]
        did = [f"{counted(len(lines), 'line')} lined up"] if lines else []
        told = [
            ToldFinding(one.code, str(one.severity), one.text)
            for one in actions
            if isinstance(one, Finding)
        ]
        return EventFired(
            event.name, lines, did + [said for one in fired for said in one.did], told
        )


def _request_of(line: bytes) -> dict[str, Any]:
    """Return a request as a dictionary; InputFault when it is none."""
    body = msgspec.json.decode(line)
    if not isinstance(body, dict) or not isinstance(body.get("args", {}), dict):
        raise InputFault("a request is a JSON object with op and args")
    return body


def _check_bounds(value: Any, depth: int = 0) -> None:
    """InputFault where a request holds a number that nothing here can have, or is nested madly."""
    if depth > _DEEPEST:
        raise InputFault("the request is nested too deeply")
    if isinstance(value, int | float) and not _in_bounds(value):
        raise InputFault(f"the number {value:g} is out of bounds")
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, list) else ()
    for one in inner:
        _check_bounds(one, depth + 1)


def _check_names(args: dict[str, Any]) -> None:
    """InputFault where what is set of a join or an overlay has a name that there is none of."""
    for part, kind, what in (("edit", JoinEdit, "a join"), ("wish", OverlayWish, "a wish")):
        given = args.get(part)
        strange = set(given) - {one.name for one in fields(kind)} if isinstance(given, dict) else ()
        if strange:
            raise InputFault(f"{what} has no {', '.join(sorted(strange))}")


def _in_bounds(value: Any) -> bool:
    return isinstance(value, int | float) and -_MOST_NUMBER <= value <= _MOST_NUMBER


def _line(value: Any) -> bytes:
    return msgspec.json.encode(value) + b"\n"
