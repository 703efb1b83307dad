"""Eggs to practise on: what spares them never kills them, and hardships cost about what the trade says they do."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import cases
from stathmis.core.hatch import embryos
from stathmis.core.hatch.embryos import HARDSHIPS, Came, Eggs, Met
from stathmis.core.moisture import term_conductance

HOURS = 24 * 24


def eggs(count: int = 300, seed: int = 1, age_d: float = 3.0, posted: float = 0.0) -> Eggs:
    return embryos.laid(count, 58.0, term_conductance(58.0, 21.0), np.random.default_rng(seed), age_d, posted)


def met(core: float = 37.5, rh: float = 50.0, late: float = 70.0) -> Met:
    """A hatch without fault, but for these."""
    hours = np.arange(HOURS)
    air = np.full(HOURS, core)
    moist = np.where(hours < 18 * 24, rh, late).astype(float)
    turner = (hours < 18 * 24).astype(float)
    return Met(air.copy(), np.full(HOURS, 37.5), air, moist, moist.copy(), np.ones(HOURS), turner)


def out(came: Came) -> float:
    return float(np.isfinite(came.out_h).mean())


def test_a_good_hatch_is_what_the_trade_calls_one() -> None:
    """Common practice: some nine in ten fertile, four in five of the fertile hatch, about day 21."""
    came = embryos.live(eggs(2000), met(), 21.0)
    assert 0.68 <= out(came) <= 0.82
    assert np.nanmedian(came.out_h) / 24.0 == pytest.approx(21.0, abs=0.2)
    assert 12.0 <= float(np.nanmedian(came.out_h - came.pipped_h)) <= 24.0
    assert float(came.lost.mean()) == pytest.approx(0.12, abs=0.015)


@pytest.mark.parametrize(
    ("how", "of", "stage"),
    [
        (met(core=36.8), "cold", 1),
        (met(core=38.3), "heat", 0),
        (met(rh=20.0), "loss", 2),
        (met(rh=72.0), "loss", 2),
        (met(late=42.0), "dry pip", 2),
        (met()._replace(turned=(np.abs(np.arange(HOURS) - 200) > 60).astype(float)), "turning", 1),
        (met()._replace(turner=np.ones(HOURS)), "turner", 2),
    ],
)
def test_each_hardship_costs_eggs_of_its_own_kind(how: Met, of: str, stage: int) -> None:
    good, bad = (embryos.live(eggs(), m, 21.0) for m in (met(), how))
    assert out(bad) < out(good) - 0.08
    assert int((bad.of == HARDSHIPS.index(of)).sum()) > int((good.of == HARDSHIPS.index(of)).sum()) + 10
    more = [int((bad.stage == s).sum()) - int((good.stage == s).sum()) for s in range(3)]
    assert max(range(3), key=lambda s: more[s]) == stage


def test_old_and_posted_eggs_die_early_and_rest_helps() -> None:
    fresh, old, posted, rested = (
        embryos.live(e, met(), 21.0) for e in (eggs(), eggs(age_d=13.0), eggs(posted=1.0), eggs(posted=embryos.RESTED))
    )
    early = [int((c.stage == 0).sum()) for c in (fresh, old, posted, rested)]
    assert early[1] > early[0] + 30 and early[2] > early[3] + 25
    assert np.nanmedian(old.out_h) > np.nanmedian(fresh.out_h) + 3.0


def test_a_day_late_for_half_a_degree() -> None:
    """Common practice: 0.56 K low for the whole term is about a day."""
    late = np.nanmedian(embryos.live(eggs(), met(core=36.94), 21.0).out_h) / 24.0
    assert late - 21.0 == pytest.approx(1.0, abs=0.25)


@cases(20)
@given(
    st.floats(36.6, 38.4), st.floats(20.0, 75.0), st.floats(40.0, 75.0), st.integers(0, 500), st.integers(1, 5),
    st.floats(0.0, 1.0),
)  # fmt: skip
def test_what_is_spared_a_hardship_never_dies_of_it(
    core: float, rh: float, late: float, begin: int, seed: int, spared: float
) -> None:
    """The same eggs in the same air, but for the dryness at the pip and the time without a turn: whoever lived the
    harder life lives the easier one."""
    hours = np.arange(HOURS)
    still = ((hours < begin) | (hours > begin + 60)).astype(float)
    hard = met(core, rh, late)._replace(turned=still)
    easy = hard._replace(
        turned=np.ones(HOURS), driest_rh=hard.driest_rh + spared * np.maximum(0.0, 60.0 - hard.driest_rh)
    )
    some = eggs(40, seed)
    lived, spared_too = (np.isfinite(embryos.live(some, m, 21.0).out_h) for m in (hard, easy))
    assert (spared_too >= lived).all()


def test_nonsense_is_refused() -> None:
    with pytest.raises(ValueError, match="eggs"):
        eggs(0)
    with pytest.raises(ValueError, match="every hour"):
        embryos.live(eggs(3), met()._replace(rh=np.ones(3)), 21.0)
