"""`segue rules`, `rule`, `show`, `pair`."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.audio.join_level import assess, join_levels, side_of
from nightly_spindle.cli.base.common import print_json
from nightly_spindle.cli.library.markers import items_asked
from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import parse_stamp
from nightly_spindle.core.library.loudness_gain import gain
from nightly_spindle.core.reports.json_views import join_view
from nightly_spindle.core.segues.joins import plan_join, span
from nightly_spindle.core.segues.segue_rules import (
    ANY,
    PRESETS,
    PairRule,
    SegueRule,
    edit_from,
    edit_values,
    pair_rule,
    sentences,
)
from nightly_spindle.store.library.catalogue import Catalogue

if TYPE_CHECKING:
    import argparse


def rules(options: argparse.Namespace) -> int:
    """Say the rules."""
    _, segues = Catalogue(Path(options.folder)).rules()
    if options.json:
        print_json(
            {
                "station": _texts(segues.station),
                "pairs": [
                    {"out": pair.out, "into": pair.into, "values": dict(pair.values)}
                    for pair in segues.rules
                ],
                "items": [
                    {"out": out, "into": into, **edit_values(edit)}
                    for (out, into), edit in sorted(segues.pairs.items())
                ],
            }
        )
        return 0
    print("Anything into anything: " + " ".join(sentences(segues.station)))
    for pair in segues.rules:
        told = ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in pair.values)
        print(f"{pair.words[:1].upper()}{pair.words[1:]}: {told}.")
    if segues.pairs:
        print(f"{len(segues.pairs)} pairs of items are set by hand.")
    return 0


def _texts(rule: SegueRule) -> dict[str, Any]:
    values = asdict(rule)
    return {name: str(value) if isinstance(value, str) else value for name, value in values.items()}


def set_rule(options: argparse.Namespace) -> int:
    """Change a rule."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.segues import segues as store

    folder = Path(options.folder)
    given = {name: getattr(options, name) for name in specs(SegueRule)}
    texts = {name: text for name, text in given.items() if text is not None}
    if options.preset:
        own = {n: str(v) for n, v in _texts(PRESETS[options.preset]).items()}
        texts = own | texts
    whole = options.out == options.into == ANY
    if not texts and not options.clear:
        raise InputFault("say what to change: --fade-out-s 2, --preset tight, --clear ...")
    if whole and options.clear:
        raise InputFault("the station's own rule cannot be cleared; --preset standard sets it back")
    _, now = Catalogue(folder).rules()
    with LibraryTransaction(folder) as library:
        if whole:
            store.set_station_rule(library, texts)
        elif options.clear:
            store.set_rule(library, PairRule(options.out, options.into, ()))
        else:
            known = {(pair.out, pair.into): dict(pair.values) for pair in now.rules}
            old = known.get((options.out, options.into), {})
            store.set_rule(library, pair_rule(options.out, options.into, old | texts))
    return rules(options)


def show(options: argparse.Namespace) -> int:
    """Say how one item passes into another."""
    catalogue = Catalogue(Path(options.folder))
    items = items_asked(catalogue, [options.out, options.into])
    out, into = items[options.out], items[options.into]
    settings, segues = catalogue.rules()
    rate = settings.rate
    join = plan_join(out, span(out, rate).cue_in, into, segues, rate)
    gains = [gain(item, settings.levels, settings.kind_levels) for item in (out, into)]
    stored = catalogue.envelopes([out.cart, into.cart])
    sides = [side_of(item, stored[item.cart], settings) for item in (out, into)]
    verdict = assess(join_levels(sides[0], sides[1], join, rate))
    if options.json:
        view = join_view(join, rate) | {
            "start_s": round(join.segue / rate, 6),
            "fade_at_s": round(join.fade_at / rate, 6),
            "in_curve": str(join.in_curve),
            "out_gain_db": round(gains[0].db, 3),
            "in_gain_db": round(gains[1].db, 3),
            "levels": {name: round(value, 3) for name, value in asdict(verdict).items()},
            "faults": list(verdict.faults),
        }
        print_json(view)
        return 0
    print(f"“{out.label}” into “{into.label}”: {join.overlap / rate:.2f} s together.")
    for sentence in (*join.why, *verdict.faults):
        print(sentence)
    if not verdict.faults:
        print("The level through it shows no hole, bump, clash, step or cut.")
    return 0


def set_pair(options: argparse.Namespace) -> int:
    """Set by hand how one item passes into another."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.segues import segues as store

    folder = Path(options.folder)
    items_asked(Catalogue(folder), [options.out, options.into])
    values: dict[str, Any] = {
        "segue_s": None if options.start is None else parse_stamp(options.start),
        "fade_start_s": None if options.fade_start is None else parse_stamp(options.fade_start),
        "fade_out_s": options.fade_out_s,
        "fade_in_s": options.fade_in_s,
    }
    values = {name: value for name, value in values.items() if value is not None}
    if bool(values) == options.clear:
        raise InputFault("say either what to set (--start, --fade-out-s ...) or --clear")
    edit = edit_from(values) if values else None
    with LibraryTransaction(folder) as library:
        store.set_pair(library, options.out, options.into, edit)
    return show(options)
