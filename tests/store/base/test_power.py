"""What the kernel says of the power supplies (Documentation/ABI/testing/sysfs-class-power)."""

import pytest

from nightly_spindle.store.base.power import OnBattery, on_battery

MAINS_OUT = {"AC": {"type": "Mains", "online": "0"}}
MAINS_IN = {"AC": {"type": "Mains", "online": "1"}}


def battery(status, capacity="63", **more):
    return {"type": "Battery", "status": status, "capacity": capacity, **more}


@pytest.mark.parametrize(
    ("supplies", "found"),
    [
        ({}, None),
        (MAINS_OUT | {"BAT0": battery("Discharging")}, OnBattery(63)),
        (MAINS_IN | {"BAT0": battery("Discharging")}, None),
        (MAINS_IN | {"BAT0": battery("Full", "100")}, None),
        ({"BAT0": battery("Discharging"), "BAT1": battery("Discharging", "8")}, OnBattery(8)),
        ({"BAT0": battery("Discharging", "much")}, OnBattery(None)),
        ({"hidpp_battery_0": battery("Discharging", scope="Device")}, None),
        ({"ucsi": {"type": "USB", "online": "1"}, "BAT0": battery("Discharging")}, None),
        ({"odd": {}}, None),
    ],
)
def test_a_battery_counts_when_it_is_what_the_computer_runs_on(tmp_path, supplies, found):
    for name, facts in supplies.items():
        (tmp_path / name).mkdir()
        for fact, said in facts.items():
            (tmp_path / name / fact).write_text(f"{said}\n")
    assert on_battery(tmp_path) == found


def test_a_machine_without_supplies_has_no_battery(tmp_path):
    assert on_battery(tmp_path / "none") is None
