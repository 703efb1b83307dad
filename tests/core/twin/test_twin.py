"""The boxes of an ensemble: they settle where a box of air does, cool to the room, lose the water they give; and what
wanders is carried on as surely as it says.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import cases
from stathmis.core import airbox
from stathmis.core.egg_heat import egg_temperature
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.twin import box, wander
from stathmis.core.twin.box import STEP_S, Doings

N = 60
PRIOR = airbox.fit_box([])


def doings(hours: float, **rows: float) -> Doings:
    """Nothing done for so long: held at 37.5 °C in a room of 21 °C and 11 hPa."""
    steps = round(hours * 3600.0 / STEP_S)
    usual = {"point_c": 37.5, "power": 1.0, "surface_cm2": 120.0, "opening": 0.3, **rows}
    alone = {name: np.full(steps, usual.get(name, 0.0)) for name in Doings._fields[:8]}
    alone["filled"] = np.zeros(steps, dtype=bool)
    room = {"room_c": np.full((steps, N), rows.get("room_c", 21.0)), "room_hpa": np.full((steps, N), 11.0)}
    return Doings(**{**alone, **room})  # type: ignore[arg-type]


def boxes(seed: int = 5) -> box.Boxes:
    return box.draw(N, PRIOR.draws, 5400.0, seed=seed)


def settled(many: box.Boxes, done: Doings, rh: float = 50.0) -> box.Standing:
    return box.settled(many, done, np.full(N, 37.5), np.full(N, rh), np.ones(N), 3)


@cases(25)
@given(st.floats(0.0, 400.0), st.floats(0.05, 1.0), st.integers(0, 99))
def test_a_box_left_alone_settles_where_a_box_of_air_does(surface: float, opening: float, seed: int) -> None:
    """core.airbox says where, by a balance without time."""
    many = boxes(seed)
    many = many.picked(np.arange(N), np.arange(N))
    done = doings(72.0, surface_cm2=surface, opening=opening)
    ways = box.run(many, settled(many, done), done, None, 58.0)
    ones = np.ones(1)
    for i in range(0, N, 20):
        theta = many.theta[i : i + 1]
        air = ways.air_c[-1, i]
        said = airbox._humidity(
            theta, ones * surface, ones * opening, ones * 21.0,
            ones * 1100.0 / float(saturation_vapor_pressure(21.0)), ones * air, ones * 0.0,
        )  # fmt: skip
        assert ways.rh[-1, i] == pytest.approx(float(said[0, 0]), abs=0.4)


def test_without_mains_the_air_falls_to_the_room_and_the_eggs_follow_as_a_ball_does() -> None:
    many, done = boxes(), doings(30.0)
    done.power[12:] = 0.0
    ways = box.run(many, settled(many, done), done, None, 58.0)
    assert np.abs(ways.air_c[-1] - 21.0).max() < 1.5
    # a third of the walls' own time, and no box is warmer than it was
    assert (np.diff(ways.air_c[12:], axis=0) <= 1e-9).all()
    times = STEP_S * np.arange(1, done.point_c.size + 1)
    for i in (0, 30):
        core = egg_temperature(times, ways.air_c[:, i], 58.0)
        assert np.abs(ways.core_c[24:, i] - core[24:]).max() < 0.35


def test_no_heater_holds_more_than_it_can() -> None:
    """At full heat a box stands as far over its room as its lift says."""
    many, done = boxes(), doings(60.0, room_c=-30.0)
    ways = box.run(many, settled(many, done), done, None, 58.0)
    held = np.minimum(37.5 + many.offset_k, -30.0 + many.lift_k)
    assert np.abs(ways.air_c[-1] - held).max() < 0.3


def test_water_that_goes_is_vapor_that_leaves() -> None:
    """In the steady state what the trough loses goes out through leaks and vents: grams against hPa liters."""
    many, done = boxes(), doings(48.0)
    standing = settled(many, done)
    ways = box.run(many, standing, done, 50.0, 58.0)
    day = 288
    lost_ml = 50.0 * 120.0 * (ways.water[-1 - day] - ways.water[-1])
    t = many.theta
    flow = np.exp(t[:, 1]) + np.exp(t[:, 2]) * 0.3 ** np.exp(t[:, 3])
    vapor = ways.rh[-1] / 100.0 * np.asarray(saturation_vapor_pressure(ways.air_c[-1]))
    out_ml = flow * (vapor - 11.0 - t[:, 7]) * airbox.ML_PER_HPA_L * 86_400.0
    there = out_ml > 1.0
    assert lost_ml[there] == pytest.approx(out_ml[there], rel=0.03)


def test_a_trough_that_runs_dry_takes_the_humidity_with_it() -> None:
    many, done = boxes(), doings(90.0)
    ways = box.run(many, settled(many, done), done, 0.25, 58.0)
    dry = ways.water[-1] < 0.01
    assert dry.mean() > 0.5
    without = doings(90.0, surface_cm2=0.0)
    bare = box.run(many, settled(many, without), without, None, 58.0)
    assert np.abs(ways.rh[-1, dry] - bare.rh[-1, dry]).max() < 2.0


def test_the_boxes_that_fit_a_log_are_kept() -> None:
    """Of two hundred boxes one made the log: those kept are nearer to it than the rest, and never one alone."""
    rng = np.random.default_rng(3)
    true, tried = 5.0, rng.normal(0.0, 4.0, 200)
    hours = np.arange(48.0)
    off = (true - tried)[None, :] * np.sin(hours / 4.0)[:, None] + rng.normal(0, 0.3, (48, 1))
    kept = box.likely(off, np.full(48, 0.5), 10.0, 200)
    assert np.abs(tried[kept] - true).mean() < 0.4 * np.abs(tried - true).mean()
    assert len(set(kept.tolist())) >= 200 / box.SPARED / 2


def test_a_log_of_lids_teaches_how_a_box_comes_back() -> None:
    """A weak heater and a strong one, each opened four times for long: the fit tells them apart."""
    found = []
    for lift in (22.0, 60.0):
        done = doings(40.0)
        for at in (60, 150, 240, 330):
            done.lid[at : at + 8] = 1.0
        many = boxes()
        one = box.Boxes(**{**many.__dict__, "lift_k": np.full(N, lift)})
        seen = box.air(one, settled(one, done), done)[:, 0]
        mean, covariance = box.fit_heat(
            done._replace(room_c=done.room_c[:, :1]), seen, np.full(seen.size, 0.1), 5400.0, 37.5
        )
        found.append((float(np.exp(mean[2])), float(np.sqrt(covariance[2, 2]))))
    (weak, u), (strong, _u) = found
    assert weak < 32.0 and strong > 1.3 * weak and u < box.HEAT_PRIOR["ln lift"][1]


def test_nonsense_is_refused() -> None:
    many, done = boxes(), doings(1.0)
    with pytest.raises(ValueError, match="above 0"):
        box.run(many, settled(many, done), done, None, 58.0, step_s=0.0)
    with pytest.raises(ValueError, match="each step"):
        box.fit_heat(done, np.zeros(3), np.ones(3), 5400.0, 37.5)
    with pytest.raises(ValueError, match="each time"):
        wander.carried([0.0, 1.0], [1.0], [2.0], 1.0, 0.1, 1.0)
    with pytest.raises(ValueError, match="above 0"):
        wander.carried([0.0], [1.0], [2.0], 0.0, 0.1, 1.0)


def test_what_wanders_is_carried_on_as_surely_as_it_says() -> None:
    """200 series that wander with a day of their own, sizes unknown to whom carries them on: 95 % of what comes, from
    an hour to two days ahead, lies between the 2.5 and 97.5 % of the draws."""
    rng = np.random.default_rng(8)
    hours = np.arange(0.0, 144.0)
    inside = []
    for _ in range(200):
        size, day, lasts = rng.uniform(0.1, 1.5), rng.uniform(0.0, 1.0), rng.uniform(5.0, 30.0)
        series = np.zeros(hours.size)
        keep = np.exp(-1.0 / lasts)
        for i in range(1, hours.size):
            series[i] = keep * series[i - 1] + size * np.sqrt(1 - keep**2) * rng.standard_normal()
        series += day * np.sin(2 * np.pi * (hours - rng.uniform(0, 24)) / 24.0) + rng.normal(0, 1.0)
        read = series + rng.normal(0, 0.05, hours.size)
        past, later = slice(0, 96, 2), np.array([97, 100, 108, 120, 143])
        go = wander.carried(hours[past] * 3600.0, read[past], hours[later] * 3600.0, 1.0, 0.05, 2.0)
        low, high = np.percentile(go.draws(read[past], 400), [2.5, 97.5], axis=1)
        inside.append((series[later] >= low) & (series[later] <= high))
    assert 0.93 <= float(np.mean(inside)) <= 0.985


def test_nothing_read_leaves_what_is_usual() -> None:
    go = wander.carried([], [], [0.0, 3600.0], 0.5, 0.1, 3.0)
    drawn = go.draws(np.empty(0), 2000)
    assert abs(drawn.mean()) < 0.3 and drawn.std() > 2.5
