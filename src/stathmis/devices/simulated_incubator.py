"""A simulated incubator, standing in for a real one: heat and vapor of a box of air, eggs, lid and power.

Heat flows between room, shell, air and eggs; a thermostat switches the heater; water surfaces and eggs give vapor,
vents and leaks exchange it with the room. It is a stand-in to try things on, no model of any machine.
Sources: lumped heat and vapor balances, common practice; egg as in core.egg_heat, loss as a conductance.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from math import ceil, exp, pi, sin
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import egg_time_constant

SHELL_J_PER_K = 9000.0
AIR_TO_SHELL_W_PER_K = 6.0
SHELL_TO_ROOM_W_PER_K = 1.4
EGG_CONDUCTANCE_MG_D_HPA = 10.8
"""Of a 60 g hen's egg (Ar and Rahn, from memory)."""
ML_PER_HPA_L = 7.0e-4
"""Water, ml, in a liter of vapor at 1 hPa and the temperature inside. Source: ideal gas, 461.5 J/(kg K)."""
SHALLOW = 0.35
"""A trough with less than this share of its water left begins to fall dry at its edges."""
LONGEST_STEP_S = 5.0

_time_constant = lru_cache(maxsize=64)(egg_time_constant)


def _saturation(celsius: float) -> float:
    """Saturation vapor pressure, hPa, quick and near enough for a stand-in. Source: WMO-No. 8, annex 4.B (Magnus)."""
    return 6.112 * exp(17.62 * celsius / (243.12 + celsius))


@dataclass
class Machine:
    """What a box is made of, and how it is set. Watts, cm², vents 0 to 1, liters; air_j_per_k: of the air and what is
    as quick as it; water_cooling_k: how much cooler an evaporating surface is."""

    air: str = "forced"
    set_point_c: float = 37.5
    differential_k: float = 0.2
    heater_w: float = 60.0
    heater_lag_s: float = 40.0
    volume_l: float = 60.0
    water_cm2: float = 120.0
    trough_ml: float = float("inf")
    vent: float = 0.3
    leak_l_s: float = 0.02
    vent_l_s: float = 0.15
    evaporation_l_s_cm2: float = 0.0016
    water_cooling_k: float = 3.0
    layers_k_per_cm: float = 0.0
    air_j_per_k: float = 900.0
    eggs: int = 24
    egg_g: float = 58.0
    room_c: float = 21.0
    room_swing_k: float = 1.5
    room_rh: float = 45.0


@dataclass
class State:
    """How the box is now: temperatures °C, vapor hPa, heater power W, and s since the start."""

    seconds: float = 0.0
    air_c: float = 21.0
    shell_c: float = 21.0
    egg_c: float = 21.0
    vapor_hpa: float = 11.0
    heater_w: float = 0.0
    heating: bool = False
    water_ml: float = 0.0
    lid_until_s: float = -1.0
    power_back_s: float = -1.0


class SimulatedIncubator:
    """A box that is stepped through time."""

    def __init__(
        self,
        machine: Machine,
        start_hour: float = 8.0,
        longest_step_s: float = LONGEST_STEP_S,
        weather: Callable[[float], tuple[float, float]] | None = None,
    ) -> None:
        """longest_step_s: inner steps are no longer; some seconds up to 15 change little. weather: the room so many s
        after the start, °C and hPa of vapor; by default a day as Machine has it."""
        self.machine, self.state = machine, State()
        self._start_hour, self._longest_s, self._weather = start_hour, longest_step_s, weather
        self.state.air_c = self.state.shell_c = self.state.egg_c = self.room_c
        self.state.vapor_hpa = self.room_vapor_hpa
        self.fill()

    @property
    def room_c(self) -> float:
        """Room now, °C: warmest in the afternoon."""
        return self._room()[0]

    @property
    def room_vapor_hpa(self) -> float:
        """Vapor of the room's air, hPa."""
        return self._room()[1]

    def _room(self) -> tuple[float, float]:
        if self._weather is not None:
            return self._weather(self.state.seconds)
        m, hour = self.machine, self._start_hour + self.state.seconds / 3600.0
        swing = m.room_swing_k * sin(2.0 * pi * (hour - 9.0) / 24.0)
        return m.room_c + swing, _saturation(m.room_c) * m.room_rh / 100.0

    @property
    def rh(self) -> float:
        """Relative humidity of the air at the egg tops, percent."""
        return min(100.0, 100.0 * self.state.vapor_hpa / _saturation(self.state.air_c))

    def fill(self) -> None:
        """Fill the troughs."""
        self.state.water_ml = self.machine.trough_ml

    def set_eggs(self, cold_c: float) -> None:
        """Put in eggs at a temperature."""
        self.state.egg_c = cold_c

    def open_lid(self, seconds: float) -> None:
        """Open the lid for a while."""
        self.state.lid_until_s = self.state.seconds + seconds

    def cut_power(self, seconds: float) -> None:
        """No mains for a while."""
        self.state.power_back_s = self.state.seconds + seconds

    def at_height(self, cm_over_eggs: float) -> float:
        """Air at a height over the egg tops, °C."""
        return self.state.air_c + self.machine.layers_k_per_cm * cm_over_eggs

    def step(self, dt_s: float) -> None:
        """Go on by a time, s."""
        count = max(1, ceil(dt_s / self._longest_s))
        dt, left = dt_s / count, count
        a_minute = max(1, round(60.0 / dt))
        while left:
            # the room changes slowly: it is looked at once a minute
            steps = min(a_minute, left)
            self._steps(steps, dt, *self._room())
            left -= steps

    def _steps(self, count: int, dt: float, room_c: float, room_hpa: float) -> None:
        """So many steps of dt s. Months are lived through in these: what stays the same is worked out once, and what
        changes is held in plain variables."""
        m, s = self.machine, self.state
        air_c, shell_c, egg_c, vapor, heater_w = s.air_c, s.shell_c, s.egg_c, s.vapor_hpa, s.heater_w
        heating, water_ml, seconds = s.heating, s.water_ml, s.seconds
        on_c, off_c = m.set_point_c - m.differential_k / 2, m.set_point_c + m.differential_k / 2
        warms = 1.0 - exp(-dt / m.heater_lag_s)
        forced, closed = m.air == "forced", m.leak_l_s + m.vent * m.vent_l_s
        egg_j_per_k, endless = 3.31 * m.egg_g * m.eggs, m.trough_ml == float("inf")
        to_eggs = 0.0
        for _ in range(count):
            powered = seconds >= s.power_back_s
            if air_c < on_c:
                heating = True
            elif air_c > off_c:
                heating = False
            # the heater warms up and cools down slowly: that makes the overshoot
            wanted = m.heater_w if heating and powered else 0.0
            heater_w += (wanted - heater_w) * warms
            flow = closed + (4.0 if seconds < s.lid_until_s else 0.0)
            if m.eggs:
                to_eggs = egg_j_per_k / _time_constant(m.egg_g, forced and powered) * (air_c - egg_c)
            exchange = 1.2 * flow * (air_c - room_c)
            to_shell = AIR_TO_SHELL_W_PER_K * (air_c - shell_c)
            air_c += dt * (heater_w - to_shell - to_eggs - exchange) / m.air_j_per_k
            shell_c += dt * (to_shell - SHELL_TO_ROOM_W_PER_K * (shell_c - room_c)) / SHELL_J_PER_K
            egg_c += dt * (to_eggs / egg_j_per_k) if m.eggs else 0.0
            wet = _saturation(max(0.0, air_c - m.water_cooling_k))
            # a trough that runs low shrinks
            wet_cm2 = m.water_cm2 if endless else m.water_cm2 * min(1.0, water_ml / (SHALLOW * m.trough_ml))
            gain = m.evaporation_l_s_cm2 * wet_cm2 / 10.0 * max(0.0, wet - vapor)
            water_ml = max(0.0, water_ml - dt * gain * ML_PER_HPA_L)
            # mg of water to liters of vapor at this temperature, by 1 hPa: what the eggs lose
            saturated = _saturation(air_c)
            loss_mg_s = m.eggs * EGG_CONDUCTANCE_MG_D_HPA / 86400.0 * (saturated - vapor)
            eggs_gain = loss_mg_s * 1e-6 * 461.5 * (air_c + 273.15) / 100.0 * 1000.0
            # with the lid open the air is changed within a step: its way to where it settles is taken exactly
            settles = room_hpa + (gain + eggs_gain) / flow
            vapor = min(settles + (vapor - settles) * exp(-dt * flow / m.volume_l), saturated)
            seconds += dt
        s.air_c, s.shell_c, s.egg_c, s.vapor_hpa, s.heater_w = air_c, shell_c, egg_c, vapor, heater_w
        s.heating, s.water_ml, s.seconds = heating, water_ml, seconds


@dataclass
class SimulatedSensor:
    """How an instrument sees the truth: lag s, offset, slope, drift a day, noise, display steps; stuck or silent."""

    offset: float = 0.0
    slope: float = 1.0
    drift_per_day: float = 0.0
    noise: float = 0.0
    resolution: float = 0.01
    lag_s: float = 60.0
    stuck_from_s: float = float("inf")
    dropout: float = 0.0
    _seen: float | None = field(default=None, repr=False)
    _last: float | None = field(default=None, repr=False)

    def series(self, true: NDArray[np.float64], dt_s: float, rng: np.random.Generator) -> NDArray[np.float64]:
        """What it shows of a whole run of truth, one reading every dt_s; without faults."""
        from scipy.signal import lfilter

        seen = np.asarray(true, dtype=np.float64)
        if self.lag_s > 0:
            share = 1.0 - exp(-dt_s / self.lag_s)
            seen, _ = lfilter([share], [1.0, share - 1.0], seen, zi=[seen[0] * (1.0 - share)])
        drift = self.drift_per_day * np.arange(seen.size) * dt_s / 86400.0
        raw = self.offset + self.slope * seen + drift + rng.normal(0.0, self.noise, seen.size)
        return np.asarray(np.round(raw / self.resolution) * self.resolution)

    def read(self, true: float, dt_s: float, seconds: float, rng: np.random.Generator) -> float | None:
        """What it shows, dt_s after it was asked before; None where it sends nothing."""
        if self._seen is None:
            self._seen = true
        self._seen += (true - self._seen) * (1.0 - exp(-dt_s / max(self.lag_s, 1e-6)))
        if rng.random() < self.dropout:
            return None
        if seconds >= self.stuck_from_s and self._last is not None:
            return self._last
        raw = (
            self.offset + self.slope * self._seen + self.drift_per_day * seconds / 86400.0 + rng.normal(0.0, self.noise)
        )
        self._last = round(raw / self.resolution) * self.resolution
        return self._last


class Recorded(NamedTuple):
    """What a box was like minute by minute, shape (minutes,): s, air, egg and room °C, humidity inside and room %."""

    seconds: NDArray[np.float64]
    air_c: NDArray[np.float64]
    egg_c: NDArray[np.float64]
    rh: NDArray[np.float64]
    room_c: NDArray[np.float64]
    room_rh: NDArray[np.float64]


def record(
    box: SimulatedIncubator, minutes: int, happenings: Sequence[tuple[float, Callable[[SimulatedIncubator], None]]]
) -> Recorded:
    """Let a box run and note it every minute; happenings: at which minute what is done to it, in order of time."""
    rows = np.empty((6, minutes))
    todo = list(happenings)
    for minute in range(minutes):
        while todo and todo[0][0] <= minute:
            todo.pop(0)[1](box)
        state, (room_c, room_hpa) = box.state, box._room()
        room_rh = min(100.0, 100.0 * room_hpa / _saturation(room_c))
        rows[:, minute] = (state.seconds, state.air_c, state.egg_c, box.rh, room_c, room_rh)
        box.step(60.0)
    return Recorded(*rows)
