"""Every kind of source against its stand-in: heard, gone, back; and what each of them may be fed."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.devices import kernel_sensors, mqtt_client
from stathmis.devices.growing_file import GrowingFile, Place
from stathmis.devices.kinds import Wanted, opener
from stathmis.devices.mqtt_client import Address, address, said
from stathmis.devices.probe_reader import Line, ProbeReader, listen
from stathmis.devices.simulated_broker import Broker, matches
from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script
from stathmis.devices.simulated_probe import SimulatedProbe
from stathmis.devices.source import KINDS, Kind
from stathmis.devices.stand_ins import kind_of, stand_in

NAMES: dict[Kind, tuple[str, str]] = {
    "serial": ("t", "rh"),
    "kernel": ("hwmon airchip temp1", "iio airmeter humidityrelative"),
    "mqtt": ("cellar/box|t", "cellar/box|rh"),
    "file": ("t", "rh"),
}


def now() -> int:
    return time.time_ns() // 1_000_000


def wait_for(what: Callable[[], object], seconds: float = 20.0) -> None:
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "it did not come"
        time.sleep(0.02)


@pytest.mark.parametrize("kind", KINDS)
def test_heard_gone_and_back(kind: Kind, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kernel_sensors, "EVERY_S", 0.1)
    monkeypatch.setattr(kernel_sensors.KernelSensors.__init__, "__defaults__", ((), 0.1))
    script = Script(30.0, 10.0, garbage=0.1, seed=3)
    meter = (
        SimulatedProbe(Machine(), script, tmp_path / "lead")
        if kind == "serial"
        else stand_in(kind, tmp_path, script=script)
    )
    assert kind_of(meter) == kind
    meter.start()
    got: list[Line] = []
    wanted = Wanted(kind, meter.device, layout="named", names=NAMES[kind])
    reader = ProbeReader(opener(wanted), got.append, now, retry_s=0.1).start()
    heat, moist = NAMES[kind]
    try:
        wait_for(lambda: len([g for g in got if heat in g.values and moist in g.values]) >= 5)
        assert reader.status.connected
        meter.unplug()
        wait_for(lambda: not reader.status.connected and reader.status.trouble)
        meter.plug()
        before = len(got)
        wait_for(lambda: reader.status.connected and len(got) >= before + 5)
        # a bad lead is one of the 1-wire thermometer, which is not among those that were chosen
        wait_for(lambda: kind == "kernel" or reader.status.dropped > 0)
    finally:
        reader.stop()
        meter.stop()
    heats = [g.values[heat] for g in got if heat in g.values]
    assert all(30 < t < 45 for t in heats) and len({round(t, 2) for t in heats}) > 1
    assert all(10 < g.values[moist] < 90 for g in got if moist in g.values)


@pytest.mark.parametrize("kind", ["kernel", "mqtt", "file"])
def test_listening_finds_what_is_there(kind: Kind, tmp_path: Path) -> None:
    meter = stand_in(kind, tmp_path, script=Script(20.0)).start()
    try:
        heard = listen(opener(Wanted(kind, meter.device, from_start=True)), 10.0, lambda: False, enough=3, after_s=2.0)
    finally:
        meter.stop()
    assert set(NAMES[kind]) <= set(heard.values) and heard.texts


# ---- sensors of this computer


@pytest.fixture
def tree(tmp_path: Path) -> Callable[[str, str], Path]:
    def put(name: str, text: str) -> Path:
        file = tmp_path / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)
        return tmp_path

    return put


def test_sensors_by_the_kernels_rules(tree: Callable[[str, str], Path]) -> None:
    """Scaled counts, thousandths, two alike, and a 1-wire thermometer's own checksum."""
    for at in (0, 10, 2):
        tree(f"class/hwmon/hwmon{at}/name", "chip\n")
        tree(f"class/hwmon/hwmon{at}/temp1_input", f"{37000 + at}\n")
    tree("bus/iio/devices/iio:device0/name", "air\n")
    tree("bus/iio/devices/iio:device0/in_temp_raw", "1000\n")
    tree("bus/iio/devices/iio:device0/in_temp_scale", "25.5\n")
    tree("bus/iio/devices/iio:device0/in_temp_offset", "480\n")
    tree("bus/iio/devices/iio:device0/in_humidityrelative_input", "48250\n")
    root = tree("bus/w1/devices/28-00ff/w1_slave", "5a 02 : crc=aa YES\n5a 02 t=37625\n")
    found = {name: read() for name, read in kernel_sensors.sensors(root).items()}
    assert found == {
        "hwmon chip temp1": 37.0,
        "hwmon chip temp1 (2)": 37.002,
        "hwmon chip temp1 (3)": 37.01,
        "iio air humidityrelative": 48.25,
        "iio air temp": pytest.approx((1000 + 480) * 25.5 / 1000),
        "1-wire 28-00ff": 37.625,
    }


@pytest.mark.parametrize(
    "text", ["5a 02 : crc=aa NO\n5a 02 t=37625\n", "5a : crc=aa YES\n5a t=85000\n", "", "t=37", "\0"]
)
def test_a_bad_lead_is_no_reading(tree: Callable[[str, str], Path], text: str) -> None:
    tree("class/hwmon/hwmon0/temp1_input", "37000")
    root = tree("bus/w1/devices/28-00ff/w1_slave", text)
    source = kernel_sensors.KernelSensors(root)
    good, bad = source.read()
    assert good.values == {"hwmon hwmon0 temp1": 37.0} and bad.values == {} and bad.text
    assert source.read() == [], "not again so soon"


@given(st.binary(max_size=40))
def test_any_bytes_in_a_file(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    file = tmp_path_factory.getbasetemp() / "any" / "class/hwmon/hwmon0/temp1_input"
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(data)
    for said_ in kernel_sensors.KernelSensors(file.parents[3], every_s=0.0).read():
        assert all(v == v and abs(v) < 1e9 for v in said_.values.values())


@pytest.mark.parametrize("names", [(), ("hwmon chip temp1", "iio air humidityrelative")])
def test_a_sensor_that_comes_later_is_read_too(tree: Callable[[str, str], Path], names: tuple[str, ...]) -> None:
    """The kernel finds one after the other; what is gone again is told, not forgotten."""
    tree("class/hwmon/hwmon0/name", "chip")
    root = tree("class/hwmon/hwmon0/temp1_input", "37000")
    source = kernel_sensors.KernelSensors(root, names, every_s=0.0)
    assert [said.values for said in source.read()] == [{"hwmon chip temp1": 37.0}]
    tree("bus/iio/devices/iio:device0/name", "air")
    tree("bus/iio/devices/iio:device0/in_humidityrelative_input", "48250")
    assert [said.values for said in source.read()] == [{"hwmon chip temp1": 37.0, "iio air humidityrelative": 48.25}]
    (root / "class/hwmon/hwmon0/temp1_input").unlink()
    assert [said.values for said in source.read()] == [{"iio air humidityrelative": 48.25}, {}]


def test_no_sensor_there(tmp_path: Path) -> None:
    with pytest.raises(OSError, match="no sensor"):
        kernel_sensors.KernelSensors(tmp_path)


# ---- brokers


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("box", Address("box")),
        ("keeper@box:1884", Address("box", 1884, user="keeper")),
        ("mqtts://box", Address("box", 8883, tls=True)),
        ("[::1]:1883", Address("::1")),
        ("unix:/run/broker", Address("/run/broker", socket=True)),
        ("box:99999", None),
        ("two words", None),
        ("http://box", None),
        ("", None),
    ],
)
def test_addresses(text: str, at: Address | None) -> None:
    assert address(text) == at


@pytest.mark.parametrize(
    ("payload", "values"),
    [
        (b"37.52", {"a/t": 37.52}),
        (b"37,52", {"a/t": 37.52}),
        (b'{"t": "37.5", "in": {"rh": 48, "ok": true}}', {"a/t|t": 37.5, "a/t|in.rh": 48.0}),
        (b"t=37.5 rh=48", {"a/t|t": 37.5, "a/t|rh": 48.0}),
        (b"online", {}),
        (b"\xff\xfe", {}),
        (b'{"t": NaN, "u": 1e999}', {}),
        (b"[" * 10_000, {}),
        (b'{"a":' * 3000, {}),
        (b"1" * 20_000, {}),
    ],
)  # fmt: skip
def test_payloads(payload: bytes, values: dict[str, float]) -> None:
    assert said("a/t", payload).values == values


@given(st.binary(max_size=200))
def test_any_payload_is_survived(payload: bytes) -> None:
    assert all(abs(v) < float("inf") for v in said("a", payload).values.values())


def test_topics_match_like_the_standard_says() -> None:
    """Source: MQTT 3.1.1, section 4.7.1, its own examples."""
    for pattern, topic, does in (
        ("sport/tennis/player1/#", "sport/tennis/player1", True),
        ("sport/tennis/player1/#", "sport/tennis/player1/score/wimbledon", True),
        ("sport/tennis/+", "sport/tennis/player1", True),
        ("sport/tennis/+", "sport/tennis/player1/ranking", False),
        ("sport/+", "sport", False),
        ("sport/+", "sport/", True),
        ("+/+", "/finance", True),
        ("+", "/finance", False),
    ):
        assert matches(pattern, topic) is does, (pattern, topic)


@pytest.fixture
def broker(tmp_path: Path) -> Iterator[Broker]:
    made = Broker(tmp_path / "b").start()
    yield made
    made.stop()


def test_what_a_broker_kept_is_shown_but_not_logged(broker: Broker) -> None:
    """It does not say of when it is."""
    at = address(broker.device)
    assert at is not None
    broker.publish("cellar/t", b"36.0", keep=True)
    listening = mqtt_client.MqttTopics(at, ())
    wait_for(lambda: any(s.values == {"cellar/t": 36.0} for s in listening.read()))
    listening.close()
    kept = mqtt_client.MqttTopics(at, ("cellar/t",))
    wait_for(lambda: broker.listeners)
    broker.publish("attic/t", b"20.0")
    broker.publish("cellar/t", b"37.5")
    heard = []
    wait_for(lambda: heard.extend(kept.read()) or heard)  # type: ignore[func-returns-value]
    assert [s.values for s in heard] == [{"cellar/t": 37.5}]
    kept.close()


def test_no_broker_there(tmp_path: Path) -> None:
    with pytest.raises(OSError):
        mqtt_client.MqttTopics(Address(str(tmp_path / "none"), socket=True), ("a",))
    with pytest.raises(OSError):
        opener(Wanted("mqtt", "no address"))()


def test_a_client_publishes_at_least_once(broker: Broker) -> None:
    """The stand-in answers as a broker does: a library that is not ours is content with it."""
    from paho.mqtt import client as mqtt
    from paho.mqtt.enums import CallbackAPIVersion

    at = address(broker.device)
    assert at is not None
    kept = mqtt_client.MqttTopics(at, ("a",))
    sender = mqtt.Client(CallbackAPIVersion.VERSION2, transport="unix")
    sender.connect(at.host, keepalive=1)
    sender.loop_start()
    try:
        for i in range(3):
            sender.publish("a", str(i), qos=1).wait_for_publish(10.0)
        heard: list[float] = []
        wait_for(lambda: heard.extend(s.values["a"] for s in kept.read()) or len(heard) == 3)  # type: ignore[func-returns-value]
        assert heard == [0.0, 1.0, 2.0]
    finally:
        sender.disconnect()
        sender.loop_stop()
        kept.close()


# ---- growing files


def read_all(source: GrowingFile) -> list[tuple[int | None, dict[str, float]]]:
    return [(s.time_ms, s.values) for s in source.read()]


def test_a_file_is_read_on_where_it_was_left(tmp_path: Path) -> None:
    file, place = tmp_path / "r.csv", Place()
    file.write_text("time;t;rh\n2026-05-18T08:00:00Z;37,5;48\n2026-05-18T08:01")
    source = GrowingFile(file, place)
    assert read_all(source) == [(1779091200000, {"t": 37.5, "rh": 48.0})]
    with file.open("a") as more:
        more.write(":00Z;37,6;49\n")
    source.close()
    source = GrowingFile(file, place)
    assert read_all(source) == [(1779091260000, {"t": 37.6, "rh": 49.0})], "the half line was not lost"
    file.write_text("time;t;rh\n2026-05-18T08:02:00Z;37,7;50\n")
    with pytest.raises(OSError):
        source.read()
    source.close()
    source = GrowingFile(file, place)
    assert read_all(source) == [(1779091320000, {"t": 37.7, "rh": 50.0})], "begun anew"
    source.close()


def test_another_life_takes_what_came_meanwhile(tmp_path: Path) -> None:
    file = tmp_path / "r.jsonl"
    file.write_text("".join(json.dumps({"ts": 1779091200 + 60 * i, "t": 37 + i}) + "\n" for i in range(4)))
    source = GrowingFile(file, Place(), since=lambda: 1779091260000)
    assert [v["t"] for _, v in read_all(source)] == [39.0, 40.0]
    source.close()


def test_without_times_only_what_comes_is_read(tmp_path: Path) -> None:
    file = tmp_path / "r.txt"
    file.write_text("t=37.1\nt=37.2\n")
    source = GrowingFile(file, Place())
    assert source.read() == []
    with file.open("a") as more:
        more.write("t=37.3\n")
    assert read_all(source) == [(None, {"t": 37.3})]
    source.close()
    shown = GrowingFile(file, Place(), from_start=True)
    assert len(shown.read()) == 3
    shown.close()


@pytest.mark.parametrize(
    ("cell", "ms"),
    [
        ("1779091200", 1779091200000),
        ("1779091200000", 1779091200000),
        ("2026-05-18 10:00:00", 1779091200000),
        ("2026-05-18T08:00:00+00:00", 1779091200000),
    ],
)
def test_times_in_the_logbooks_zone(tmp_path: Path, cell: str, ms: int) -> None:
    file = tmp_path / "r.csv"
    file.write_text(f"time,t\n{cell},37.5\n")
    source = GrowingFile(file, Place(), "Europe/Berlin")
    assert read_all(source) == [(ms, {"t": 37.5})]
    source.close()


@given(st.binary(max_size=400))
def test_any_file_is_survived(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    file = tmp_path_factory.getbasetemp() / "any.csv"
    file.write_bytes(b"time,t\n" + data + b"\n")
    source = GrowingFile(file, Place(), from_start=True)
    try:
        for said_ in source.read():
            assert all(abs(v) < float("inf") for v in said_.values.values())
    finally:
        source.close()


def test_a_time_to_come_is_garbage() -> None:
    reader = ProbeReader(lambda: None, lambda line: None, lambda: 1000)  # type: ignore[arg-type,return-value]
    from stathmis.devices.source import Said

    reader._take(Said("x", {"t": 1.0}, 1000 + 61_000))
    assert (reader.status.good, reader.status.dropped) == (0, 1)
    reader._take(Said("x", {"t": 1.0, "battery": 12.0, "a|rssi": -70.0}, 500))
    assert (reader.status.good, reader.status.battery, reader.status.signal) == (1, 12.0, -70.0)
