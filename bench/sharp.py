"""How true and how sharp corrections are, on instruments that are made otherwise than the model assumes.

Usage: sharp.py [--runs N]. For each way to check and each kind of instrument: how often 95 % holds the truth at the
readings an instrument is used at, how wide U is, and the interval score (Gneiting and Raftery 2007, eq. 43) over that
of an oracle, which knows what kind of instrument it is and which point is odd. Errors here are sums of an offset, a
slope, and a bend that is a sine, flicker with heavier tails than normal, and a loop the instrument stands in anywhere.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass

import numpy as np

from stathmis.core.averaged import Prior
from stathmis.core.calibration import fit
from stathmis.core.checks.influences import Influence
from stathmis.services.findings.corrections import PRIORS

Array = np.ndarray
Z, ALPHA = 1.96, 0.05


@dataclass(frozen=True)
class Way:
    """A way to check: at which values, how unsure each point is by itself and all of them together, and where the
    instrument is used; °C or %."""

    name: str
    points: tuple[float, ...]
    own: float
    together: float
    used: tuple[float, ...]
    loop: float = 0.0

    @property
    def prior(self) -> Prior:
        """Of its quantity."""
        return PRIORS["humidity" if self.loop else "temperature"]


HEAT, DAMP = (36.0, 37.5, 38.5), (45.0, 55.0, 70.0)
WAYS = (
    Way("ice", (0.0,), 0.06, 0.03, HEAT),
    Way("ice and bath", (0.0, 37.5), 0.06, 0.04, HEAT),
    Way("fever thermometer, one point", (37.5,), 0.08, 0.10, HEAT),
    Way("fever thermometer, three points", (36.0, 37.5, 40.0), 0.08, 0.10, HEAT),
    Way("side by side, five points", (20.0, 26.0, 32.0, 37.0, 41.0), 0.06, 0.04, HEAT),
    Way("side by side, eight points", tuple(np.linspace(18.0, 42.0, 8)), 0.06, 0.04, HEAT),
    Way("one jar", (75.1,), 0.7, 0.3, DAMP, 1.0),
    Way("two jars", (32.8, 75.1), 0.7, 0.3, DAMP, 1.0),
    Way("three jars", (32.8, 52.9, 75.1), 0.7, 0.3, DAMP, 1.0),
    Way("hygrometers, five points", (35.0, 45.0, 55.0, 65.0, 75.0), 0.8, 0.8, DAMP, 1.0),
    Way("hygrometers, eight points", tuple(np.linspace(30.0, 80.0, 8)), 0.8, 0.8, DAMP, 1.0),
)
KINDS = ("offset", "slope", "bend", "odd point")


def tried(way: Way, kind: str, runs: int, seed: int = 0) -> tuple[float, float, float]:
    """Share held by 95 %, mean U over the oracle's, and interval score over the oracle's."""
    rng = np.random.default_rng([seed, len(way.name), KINDS.index(kind), len(way.points)])
    held, wide, score = [], [], []
    scale = 1.0 if not way.loop else 5.0
    true, used = np.array(way.points), np.array(way.used)
    n = true.size
    middle, half = (55.0, 25.0) if way.loop else (27.0, 17.0)
    for _ in range(runs):
        offset = rng.normal(0.0, 0.7 * scale)
        slope = rng.normal(0.0, 0.06 if way.loop else 0.010) if kind != "offset" else 0.0
        bend = rng.normal(0.0, 1.0 if way.loop else 0.06) if kind == "bend" else 0.0
        phase = rng.uniform(0.0, np.pi)

        def error(x: Array, o: float = offset, s: float = slope, b: float = bend, p: float = phase) -> Array:
            return o + s * (x - middle) + b * (np.sin(1.3 * (x - middle) / half + p) - np.sin(p))

        places = rng.uniform(-way.loop, way.loop, 2) if way.loop else np.zeros(2)
        own = way.own * rng.standard_t(6, n) / np.sqrt(1.5)
        if kind == "odd point":
            own[rng.integers(n)] += rng.choice([-1, 1]) * rng.uniform(3.0, 6.0) * way.own
        shared = rng.normal(0.0, way.together)
        reading = true - error(true) + places[0]
        reference = true + own + shared
        wanted = error(used) - places[1]
        influences = [
            Influence("own", "", way.own, np.zeros(n), np.ones(n)),
            Influence("together", "", way.together, np.zeros(n), np.ones(n), shared=True),
            Influence("loop", "", way.loop * np.sqrt(2.0 / 3.0), np.zeros(n), np.ones(n), shared=True),
        ]
        made = fit(reading, reference, influences, prior=way.prior).correction
        value, u = made.apply(used - wanted)
        off = value - used
        best, best_u = _oracle(way, kind, true, reference - reading, own, used)
        held.append(np.abs(off) <= Z * u)
        wide.append(u.mean() / best_u.mean())
        score.append((_score(off, Z * u).mean(), _score(best - wanted, Z * best_u).mean()))
    ours, theirs = np.array(score).mean(axis=0)
    return float(np.mean(held)), float(np.mean(wide)), float(ours / theirs)


def _oracle(way: Way, kind: str, true: Array, found: Array, own: Array, used: Array) -> tuple[Array, Array]:
    """Least squares by one who knows the kind of instrument, its spread, and which point is odd."""
    middle, half = (55.0, 25.0) if way.loop else (27.0, 17.0)
    keep = np.ones(true.size, dtype=bool)
    if kind == "odd point" and true.size > 1:
        keep[np.argmax(np.abs(own))] = False
    spread = [0.7 * (5.0 if way.loop else 1.0)]
    if kind != "offset":
        spread.append(0.06 if way.loop else 0.010)
    if kind == "bend":
        spread += [(1.0 if way.loop else 0.06) / np.sqrt(2.0)] * 2

    def basis(x: Array) -> Array:
        step = 1.3 * (x - middle) / half
        rows = [np.ones_like(x), x - middle, np.sin(step), np.cos(step) - 1.0]
        return np.stack(rows[: len(spread)], axis=1)

    x, y = true[keep], found[keep]
    noise = way.own**2 * (1.0 if kind != "odd point" or true.size > 1 else 21.0)
    covariance = np.diag(np.full(x.size, noise)) + way.together**2 + way.loop**2 / 3.0
    before = np.diag(np.square(spread))
    b, at = basis(x), basis(used)
    gain = before @ b.T @ np.linalg.inv(b @ before @ b.T + covariance)
    left = before - gain @ b @ before
    return at @ gain @ y, np.sqrt(np.einsum("ij,jk,ik->i", at, left, at) + way.loop**2 / 3.0)


def _score(off: Array, half: Array) -> Array:
    return 2.0 * half + 2.0 / ALPHA * np.maximum(np.abs(off) - half, 0.0)


def main() -> None:
    """Print the table, and what all cells come to."""
    runs = int(sys.argv[sys.argv.index("--runs") + 1]) if "--runs" in sys.argv else 400
    cells = []
    for way in WAYS:
        for kind in KINDS:
            if kind == "odd point" and len(way.points) < 3:
                # nobody could see that one
                continue
            cells.append((way.name, kind, *tried(way, kind, runs)))
            print(
                f"{cells[-1][0]:34} {kind:10} held {cells[-1][2]:.3f}  U {cells[-1][3]:.2f}  score {cells[-1][4]:.2f}"
            )
    held, wide, score = (np.array([c[i] for c in cells]) for i in (2, 3, 4))
    print(f"all {len(cells)} cells, {runs} each: held {held.mean():.3f}, worst {held.min():.3f}, "
          f"U {wide.mean():.2f}, score {score.mean():.2f}")  # fmt: skip
    for name in ("jar", "three points", "odd point"):
        chosen = [name in c[0] or name == c[1] for c in cells]
        print(f"{name}: held {held[chosen].mean():.3f}, U {wide[chosen].mean():.2f}, score {score[chosen].mean():.2f}")


if __name__ == "__main__":
    main()
