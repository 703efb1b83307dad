"""The command stathmis-bench: simulated probes on pseudo-terminals, to try live reading without any."""

from __future__ import annotations

import argparse
import time
from collections.abc import Sequence

from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script
from stathmis.devices.simulated_probe import SimulatedProbe
from stathmis.words import catalogue
from stathmis.words import starting as say
from stathmis.words.catalogue import _


def main(arguments: Sequence[str] | None = None) -> int:
    """Run simulated probes until interrupted; prints the device each one can be read at."""
    catalogue.speak(catalogue.of_the_environment())
    parser = argparse.ArgumentParser(prog="stathmis-bench", description=say.SIMULATED_PROBES_THAT_SEND_LINES())
    parser.add_argument("--probes", type=int, default=1, help=_("how many (1)"))
    parser.add_argument("--lines", type=float, default=1.0, help=_("lines a second (1)"))
    parser.add_argument("--speed", type=float, default=1.0, help=_("simulated seconds a second (1)"))
    parser.add_argument("--layout", choices=("named", "columns", "json"), default="named")
    parser.add_argument("--still", action="store_true", help=_("a still-air box"))
    parser.add_argument("--seconds", type=float, default=float("inf"), help=say.STOP_AFTER_SO_LONG())
    chosen = parser.parse_args(arguments)
    if chosen.probes < 1 or chosen.lines <= 0 or chosen.speed <= 0:
        parser.error(say.PROBES_LINES_AND_SPEED())
    machine = Machine(air="still", set_point_c=38.6, layers_k_per_cm=0.3) if chosen.still else Machine()
    probes = [
        SimulatedProbe(machine, Script(chosen.lines, chosen.speed, seed=i, layout=chosen.layout)).start()
        for i in range(chosen.probes)
    ]
    for probe in probes:
        print(probe.device, flush=True)
    until = time.monotonic() + chosen.seconds
    try:
        while time.monotonic() < until:
            time.sleep(min(0.5, max(0.0, until - time.monotonic())))
    except KeyboardInterrupt:
        pass
    finally:
        for probe in probes:
            probe.stop()
    return 0
