"""Steps as one writes them on a command line: "play list Harbour hour; pick=all shuffled"."""

from __future__ import annotations

import json
from dataclasses import fields
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.quoting import parted, unquoted
from nightly_spindle.core.events.steps import STEPS, step_from

if TYPE_CHECKING:
    from nightly_spindle.core.events.steps import Step

_YES = {
    "yes": True,
    "on": True,
    "unattended": True,
    "true": True,
    "no": False,
    "off": False,
    "attended": False,
    "false": False,
}


def step_from_text(text: str) -> Step:
    """Read a step: its name, what it takes, and `name=value` after semicolons; or its JSON.

    What holds a semicolon itself stands in quotes: show text "Rain; wind later".
    """
    if text.lstrip().startswith("{"):
        try:
            values = json.loads(text)
        except ValueError as error:
            raise SettingRefused(f"the step '{text}' is not valid JSON: {error}") from error
        return step_from(values)
    head, *settings = parted(text) or [""]
    code = next((name for name in STEPS if f"{head} ".startswith(f"{name} ")), None)
    if code is None:
        raise SettingRefused(
            f"'{head}' is not a valid step; a step begins with one of {', '.join(STEPS)}"
        )
    names = {spec.name: str(spec.type) for spec in fields(STEPS[code])}
    values = {"step": code}
    main = head[len(code) :].strip()
    if main and names:
        name = next(iter(names))
        values[name] = _value(names[name], unquoted(main))
    elif main:
        raise SettingRefused(f"the step '{code}' takes nothing; '{main}' is too much")
    for setting in settings:
        name, equals, value = (part.strip() for part in setting.partition("="))
        if not equals:
            raise SettingRefused(f"'{setting}' is not like name=value (in the step '{head}')")
        values[name] = _value(names.get(name, ""), unquoted(value))
    return step_from(values)


def _value(kind: str, text: str) -> Any:
    return _YES.get(text.casefold(), text) if kind == "bool" else text
