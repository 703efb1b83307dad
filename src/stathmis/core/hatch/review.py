"""What the last hatch teaches: each likely cause weighed on the run's own evidence, or no clear cause.

A cause is weighed twice: by what was measured (was the temperature low?) and by what came of the eggs (did they die
late, hatch late?). Both are likelihoods against a run in which all was well; what was not measured counts for nothing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import exp, log, pi
from typing import NamedTuple

from stathmis.core.hatch.hatch_stats import Tally
from stathmis.core.uncertainty import NORMAL_95

BASE = {"clear": 0.12, "early": 0.07, "late": 0.06, "pipped": 0.05}
"""Shares of the set eggs that are lost in an ordinary hatch: clear, dead early, late, after the pip. Source: common
practice."""
WEAK = 0.05
"""Share of the hatched that are weak, splayed or crooked in an ordinary hatch. Source: common practice, approximate."""
SHIFT_U_DAYS = 0.4
"""How far an ordinary hatch lies from the expected day, standard deviation. Source: common practice."""
NONE_WEIGHT = 3.0
"""Nothing in particular is so many times as likely beforehand as any single cause. Source: our own, cautious."""
CLEAR_CAUSE = 0.5
"""From this weight on a cause is called clear."""


@dataclass(frozen=True)
class CauseModel:
    """A cause: what is measured for it (a key of the evidence), from where on it is a fault and what that usually is
    (same unit and sign), and what it does to the losses (factors on BASE), to the day of the hatch (days) and to the
    share of weak chicks (a factor on WEAK); only_measured: it is no cause where that was not noted."""

    key: str
    measured: str
    tolerance: float
    usual: float
    factors: Mapping[str, float]
    shift_days: float = 0.0
    weak: float = 1.0
    only_measured: bool = False


CAUSES = (
    CauseModel("temperature low", "mean_k", 0.2, -0.6, {"late": 2.2, "pipped": 2.0}, 1.0, weak=2.5),
    CauseModel("temperature high", "mean_k", 0.2, 0.6, {"early": 2.5, "late": 1.6}, -1.0, weak=2.5),
    CauseModel("swings", "swing_k", 0.25, 0.9, {"early": 1.5, "late": 2.0, "pipped": 1.6}, weak=2.0),
    CauseModel("too moist in setting", "loss_off", 1.0, -3.5, {"pipped": 4.5, "late": 1.4}, weak=1.5),
    CauseModel("too dry in setting", "loss_off", 1.0, 3.5, {"late": 2.5, "pipped": 2.5}),
    CauseModel("too dry in lockdown", "lockdown_rh_off", 3.0, -12.0, {"pipped": 5.0}),
    CauseModel("turning gaps", "turning_gap_h", 6.0, 20.0, {"early": 1.6, "late": 3.0}),
    CauseModel("old eggs", "stored_over_days", 1.5, 6.0, {"clear": 1.5, "early": 3.0}, 0.3),
    CauseModel("opened at the pip", "openings_at_pip", 0.7, 4.0, {"pipped": 4.5}),
    CauseModel("poor eggs", "poor_share", 0.08, 0.35, {"early": 2.0, "late": 1.3}, only_measured=True),
    CauseModel("infertile eggs", "clear_only", 0.0, 0.0, {"clear": 3.2}),
)
"""Signatures of the usual causes. Sizes are of common practice, approximate; measured: mean_k, mean of the eggs off
the profile, K; swing_k, spread of the eggs' temperature about its own mean, standard deviation, K; loss_off, loss of
weight off the aim at lockdown, percentage points; lockdown_rh_off, percent RH; turning_gap_h, longest gap beyond 12 h;
stored_over_days, beyond 7; openings_at_pip, a count; poor_share, of the eggs as they came: cracked, dirty and so on."""


class Measured(NamedTuple):
    """A measured value and its standard uncertainty."""

    value: float
    u: float = 0.0


class Weighed(NamedTuple):
    """A cause with its weight among all (0 to 1), what the measured value and the eggs say for it (logarithms of
    likelihood ratios against a run without fault, above 0: for it), and whether it was measured at all."""

    cause: CauseModel
    weight: float
    by_measure: float
    by_eggs: float
    measured: bool


class Review(NamedTuple):
    """All causes, the weightiest first; clear: the one that stands out, None where none does; none_weight: the weight
    of nothing in particular."""

    weighed: tuple[Weighed, ...]
    clear: Weighed | None
    none_weight: float


def review(tally: Tally, measured: Mapping[str, Measured], shift_days: Measured | None = None, weak: int = 0) -> Review:
    """Weigh the usual causes for what came of a batch.

    tally: of an ended batch; measured: by key, what is known of it (see CAUSES); shift_days: hatch later (above 0) than
    expected, days; weak: chicks noted as weak, splayed or crooked (0: none were noted, which says nothing).
    Source: naive Bayes over CAUSES, likelihoods as described there.

    >>> bad = Tally(40, clear=4, early_dead=3, late_dead=7, pipped_dead=6, hatched=20)
    >>> review(bad, {"mean_k": Measured(-0.8, 0.1)}, Measured(1.1, 0.2)).clear.cause.key
    'temperature low'
    """
    plain = _eggs(tally, {}, 0.0, shift_days) + _weak(tally, weak, 1.0)
    rows = []
    for cause in CAUSES:
        found = measured.get(cause.measured)
        if found is None and cause.only_measured:
            continue
        by_measure = _by_measure(cause, found) if found is not None else 0.0
        by_eggs = _eggs(tally, cause.factors, cause.shift_days, shift_days) + _weak(tally, weak, cause.weak) - plain
        rows.append((cause, by_measure, by_eggs, found is not None))
    top = max(0.0, *(m + e for _, m, e, _ in rows))
    scores = [exp(m + e - top) for _, m, e, _ in rows]
    nothing = NONE_WEIGHT * exp(-top)
    total = sum(scores) + nothing
    weighed = [Weighed(c, s / total, m, e, known) for (c, m, e, known), s in zip(rows, scores, strict=True)]
    weighed.sort(key=lambda w: -w.weight)
    clear = weighed[0] if weighed[0].weight >= CLEAR_CAUSE else None
    return Review(tuple(weighed), clear, nothing / total)


def doubt(
    tally: Tally, measured: Mapping[str, Measured], shift_days: Measured | None = None, weak: int = 0
) -> dict[str, tuple[float, float]]:
    """How far the weight of each cause (0 to 1, by its key) may go either way: each measured value in turn, and the day
    of the hatch, moved to either end of its 95 %, and the eggs counted for a quarter or the whole of their number
    instead of half. Arguments as for review. Source: sensitivity, one value at a time.

    >>> bad = Tally(40, clear=4, early_dead=3, late_dead=7, pipped_dead=6, hatched=20)
    >>> low, high = doubt(bad, {"mean_k": Measured(-0.8, 0.1)}, Measured(1.1, 0.2))["temperature low"]
    >>> 0.0 <= low < review(bad, {"mean_k": Measured(-0.8, 0.1)}, Measured(1.1, 0.2)).weighed[0].weight < high <= 1.0
    True
    """
    tried = [review(tally, measured, shift_days, weak)]
    for side in (-NORMAL_95, NORMAL_95):
        for key, found in measured.items():
            moved = {**measured, key: Measured(found.value + side * found.u, found.u)}
            tried.append(review(tally, moved, shift_days, weak))
        if shift_days is not None:
            later = Measured(shift_days.value + side * shift_days.u, shift_days.u)
            tried.append(review(tally, measured, later, weak))
    own = tried[0].weighed
    for counted in (0.5, 2.0):
        # what the eggs say, for a quarter or the whole of their number
        scores = {w.cause.key: exp(w.by_measure + counted * w.by_eggs) for w in own}
        total = sum(scores.values()) + NONE_WEIGHT
        tried.append(Review(tuple(w._replace(weight=scores[w.cause.key] / total) for w in own), None, 0.0))
    weights = [{w.cause.key: w.weight for w in one.weighed} for one in tried]
    return {w.cause.key: (min(t[w.cause.key] for t in weights), max(t[w.cause.key] for t in weights)) for w in own}


def _by_measure(cause: CauseModel, found: Measured) -> float:
    """How much likelier a value is with the fault than without: both bell-shaped, a fault one wide about its usual
    size."""
    if cause.tolerance <= 0:
        return 0.0
    fine, wide = (cause.tolerance**2 + found.u**2), ((0.6 * cause.usual) ** 2 + found.u**2)
    same_side = found.value * cause.usual > 0
    with_fault = -0.5 * (found.value - cause.usual) ** 2 / wide - 0.5 * log(2 * pi * wide)
    without = -0.5 * found.value**2 / fine - 0.5 * log(2 * pi * fine)
    ratio = with_fault - without
    # far beyond the usual fault is no argument against it
    return max(ratio, 0.0) if same_side and abs(found.value) > abs(cause.usual) else ratio


def _eggs(tally: Tally, factors: Mapping[str, float], shift: float, seen: Measured | None) -> float:
    """Log-likelihood of the losses by stage, and of the day of the hatch."""
    lost = {key: min(0.6, share * factors.get(key, 1.0)) for key, share in BASE.items()}
    whole = sum(lost.values())
    if whole > 0.95:
        lost = {key: 0.95 * share / whole for key, share in lost.items()}
    counts = {
        "clear": tally.clear,
        "early": tally.early_dead,
        "late": tally.late_dead,
        "pipped": tally.pipped_dead,
    }
    rest = 1.0 - sum(lost.values())
    # flocks differ: the counts are taken at half their number, so that chance and habit do not pass for a cause
    value = 0.5 * sum(n * log(lost[key]) for key, n in counts.items()) + 0.5 * tally.hatched * log(rest)
    if seen is not None:
        spread = SHIFT_U_DAYS**2 + seen.u**2
        value += -0.5 * (seen.value - shift) ** 2 / spread
    return value


def _weak(tally: Tally, weak: int, factor: float) -> float:
    """Log-likelihood of so many weak ones among the hatched, at half their number as the losses are."""
    if not weak:
        return 0.0
    share = min(0.6, WEAK * factor)
    return 0.5 * (weak * log(share) + max(0, tally.hatched - weak) * log(1.0 - share))
