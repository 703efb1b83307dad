"""Egg core and time on profile over 2,000,000 readings: ours, and the same worked out in pandas."""

from __future__ import annotations

import numpy as np
import pandas as pd
from timing import compare, seconds

from stathmis.core.adherence import judge
from stathmis.core.egg_heat import core_modes, egg_temperature

COUNT = 2_000_000
times = np.arange(COUNT) * 10.0
rng = np.random.default_rng(0)
air = 37.5 + 0.4 * np.sin(times / 400.0) + 0.3 * np.sin(times / 50_000.0) + rng.normal(0, 0.02, COUNT)
MODES = core_modes(60.0)


def with_pandas_core() -> pd.Series:
    """The same lags as exponentially weighted means over time, added up."""
    stamps = pd.to_datetime(times, unit="s")
    series = pd.Series(air, index=stamps)
    lags = [series.ewm(halflife=pd.Timedelta(seconds=tau * np.log(2.0)), times=stamps).mean() for tau, _ in MODES]
    return sum(lag * weight for lag, (_tau, weight) in zip(lags, MODES, strict=True))  # type: ignore[return-value]


def with_pandas_time(core: pd.Series) -> pd.Series:
    """Seconds inside, outside and undecided, each reading holding until the next."""
    step = pd.Series(times).diff().shift(-1).fillna(0.0).to_numpy()
    frame = pd.DataFrame({"value": core.to_numpy(), "step": step})
    frame["where"] = np.select(
        [frame.value.between(37.28, 37.72), ~frame.value.between(37.12, 37.88)], ["in", "out"], "?"
    )
    return frame.groupby("where").step.sum()


def main() -> None:
    """Print the comparisons."""
    core = egg_temperature(times, air, 60.0)
    theirs = with_pandas_core()
    late = slice(COUNT // 2, None)
    print(f"   largest difference in the second half: {np.abs(core[late] - theirs.to_numpy()[late]).max():.3f} K")
    ours = seconds(lambda: egg_temperature(times, air, 60.0), 3)
    compare("egg core, 2 M readings", ours, seconds(with_pandas_core, 3), "pandas ewm      ", "no goal")
    ours = seconds(lambda: judge(times, core, 37.2, 37.8, 60.0, 0.05), 3)
    compare("time on profile, 2 M", ours, seconds(lambda: with_pandas_time(theirs), 3), "pandas groupby  ", "no goal")


if __name__ == "__main__":
    main()
