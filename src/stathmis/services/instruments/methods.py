"""Ways to check an instrument, read from the shipped list: steps, cautions, and what to allow for with its reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import sqrt
from typing import Any, Literal

from stathmis.core.units import Quantity, Unit, difference_from_inside
from stathmis.services import knowledge
from stathmis.words.catalogue import N_, once_a_language

ReferenceKind = Literal["instrument", "fixed", "pressure", "gun", "salt", "bulbs"]

RESPONSE_S: Mapping[str, float] = {"temperature": 120.0, "humidity": 600.0}
"""Time to follow 63 % of a step where the keeper gave none, s: five of them are the trade's 5–15 min for thermometers
and 30–60 min for hygrometers. Source: common practice."""

HYSTERESIS: Mapping[str, float] = {"temperature": 0.0, "humidity": 1.0}
"""Half-width by which rising and falling readings differ (K, %), where it was not measured. Source: common practice."""

FIELDS: Mapping[ReferenceKind, tuple[tuple[str, str], ...]] = {
    "instrument": (("reference", N_("reference shows")),),
    "fixed": (),
    "pressure": (),
    "gun": (("reference", N_("it shows")), ("walls", N_("walls at"))),
    "salt": (("salt", N_("salt")), ("jar", N_("jar at"))),
    "bulbs": (("reference", N_("dry shows")), ("wet", N_("wet shows"))),
}
"""Fields of a row beside the instrument's own reading: key and heading."""


@dataclass(frozen=True)
class Allowance:
    """Something to allow for: its usual size by quantity in K, % or fixed_unit, and why that much.

    by, sizes: the setting its usual size follows, and the size by what is chosen there.
    """

    key: str
    label: str
    typical: Mapping[str, float]
    why: str
    fixed_unit: str | None = None
    expanded: bool = False
    shared: bool = False
    by: str = ""
    sizes: Mapping[str, float] = field(default_factory=dict)

    def unit(self, channel_unit: Unit) -> str:
        """The unit it is typed in."""
        return channel_unit if self.fixed_unit is None else self.fixed_unit

    def usual(self, quantity: Quantity, channel_unit: Unit, chosen: Mapping[str, str] | None = None) -> float:
        """Its usual size, in the unit it is typed in; chosen: the settings."""
        value = self.sizes.get((chosen or {}).get(self.by, ""), self.typical[quantity])
        return value if self.fixed_unit is not None else float(difference_from_inside(value, channel_unit))

    def standard(self, size: float) -> float:
        """Standard uncertainty of a size typed, same unit."""
        return size / 2.0 if self.expanded else size / sqrt(3.0)

    @property
    def distribution(self) -> str:
        """How it is spread."""
        return "normal" if self.expanded else "rectangular"


@dataclass(frozen=True)
class Method:
    """A way to check: steps, the key of its caution (or empty), what its reference is, and its allowances."""

    key: str
    name: str
    quantities: tuple[str, ...]
    reference: ReferenceKind
    steps: tuple[str, ...]
    caution: str
    allowances: tuple[Allowance, ...]

    @property
    def needs_instrument(self) -> bool:
        """Whether the reference is another instrument of the logbook."""
        return self.reference in ("instrument", "gun", "bulbs")

    @property
    def near_c(self) -> float | None:
        """What an instrument about shows during it, °C, where that is not an egg's temperature."""
        return {"fixed": 0.0, "pressure": 97.0}.get(self.reference)

    @property
    def needs_pressure(self) -> bool:
        """Whether the air pressure matters."""
        return self.reference in ("pressure", "bulbs")


@once_a_language
def methods() -> dict[str, Method]:
    """All methods by key, in the order of the list."""
    return {key: _method(key, entry) for key, entry in knowledge.read_list("methods").items()}


def methods_for(quantity: Quantity) -> list[Method]:
    """The methods for a quantity."""
    return [m for m in methods().values() if quantity in m.quantities]


def _method(key: str, entry: dict[str, Any]) -> Method:
    allowances = tuple(
        Allowance(
            key=name,
            label=a["label"],
            typical={q: float(a[q]) for q in ("temperature", "humidity") if q in a},
            why=a["why"],
            fixed_unit=a.get("fixed_unit"),
            expanded=a.get("distribution") == "expanded",
            shared=bool(a.get("shared", False)),
            by=a.get("by", ""),
            sizes=a.get("sizes", {}),
        )
        for name, a in entry.get("allowances", {}).items()
    )
    return Method(
        key,
        entry["name"],
        tuple(entry["quantities"]),
        entry["reference"],
        tuple(entry["steps"]),
        entry.get("caution", ""),
        allowances,
    )
