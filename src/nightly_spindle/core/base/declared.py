"""Settings declared as data: name, unit, default, bounds and one sentence for each.

A group of settings is a frozen dataclass whose fields are made by `number`, `choice` and `flag`.
Forms, checks, documents and command-line options grow from it.
"""

from __future__ import annotations

from dataclasses import Field, field, fields
from typing import TYPE_CHECKING, Any, TypeVar

from nightly_spindle.core.base.errors import SettingRefused

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from enum import StrEnum

Group = TypeVar("Group")


def number(default: float, unit: str, low: float, high: float, sentence: str) -> Any:
    """Declare a number within bounds."""
    meta = {"unit": unit, "low": low, "high": high, "sentence": sentence}
    return field(default=default, metadata=meta)


def choice(default: StrEnum, sentence: str) -> Any:
    """Declare one of an enumeration."""
    return field(default=default, metadata={"choices": type(default), "sentence": sentence})


def text(default: str, sentence: str) -> Any:
    """Declare a text."""
    return field(default=default, metadata={"text": True, "sentence": sentence})


def flag(default: bool, sentence: str) -> Any:
    """Declare a yes or no."""
    return field(default=default, metadata={"flag": True, "sentence": sentence})


def specs(group: type[Any]) -> dict[str, Field[Any]]:
    """Return the declared fields of a group by name."""
    return {spec.name: spec for spec in fields(group)}


def value_from(spec: Field[Any], text: str, name: str, wrong: list[str]) -> Any:
    """Return a value from its text; what is wrong is added to `wrong`, with the default back."""
    meta = spec.metadata
    if "text" in meta:
        return text
    if "choices" in meta:
        if text in {str(one) for one in meta["choices"]}:
            return meta["choices"](text)
        wrong.append(f"setting {name} is '{text}'; it is one of {', '.join(meta['choices'])}")
        return spec.default
    if "flag" in meta:
        if text.lower() in {"true", "yes", "1", "false", "no", "0"}:
            return text.lower() in {"true", "yes", "1"}
        wrong.append(f"setting {name} is '{text}'; it is yes or no")
        return spec.default
    return checked(name, text, meta["unit"], meta["low"], meta["high"], wrong)


def checked(name: str, text: str, unit: str, low: float, high: float, wrong: list[str]) -> float:
    """Return a number from its text; what is wrong is added to `wrong`."""
    try:
        found = float(text)
    except ValueError:
        found = float("nan")
    if not low <= found <= high:
        within = f"{low:g} and {high:g} {unit}".rstrip()
        wrong.append(f"setting {name} is '{text}'; it must be within {within}")
        return low
    return found


def group_from(
    group: type[Group], values: Mapping[str, str], prefix: str, wrong: list[str]
) -> Group:
    """Build a group from stored texts named `prefix.field`; those that are absent stay default."""
    found = {
        name: value_from(spec, values[f"{prefix}.{name}"], f"{prefix}.{name}", wrong)
        for name, spec in specs(group).items()
        if f"{prefix}.{name}" in values
    }
    return group(**found)


def texts_of(group: Any, prefix: str) -> dict[str, str]:
    """Return a group as the texts that are stored; `group_from` reads them back."""
    return {f"{prefix}.{spec.name}": str(getattr(group, spec.name)) for spec in fields(group)}


def changed_group(group: Group, prefix: str, changes: Iterable[str]) -> Group:
    """Return a group with some values changed, each given as NAME=VALUE.

    SettingRefused says what cannot be read; the names that there are are told.
    """
    kind = type(group)
    texts = texts_of(group, prefix)
    for change in changes:
        name, equals, value = change.partition("=")
        if not equals or name not in specs(kind):
            known = ", ".join(specs(kind))
            raise SettingRefused(f"'{change}' is not like NAME=VALUE; the names are {known}")
        texts[f"{prefix}.{name}"] = value
    wrong: list[str] = []
    made = group_from(kind, texts, prefix, wrong)
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return made
