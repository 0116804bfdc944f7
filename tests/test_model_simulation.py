"""The equations of the model: against an independent integrator, against limits, and by what must be conserved."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from firnel.core.model import simulation
from firnel.core.model.constants import (
    Hands,
    IdleState,
    LoadState,
    MachineConstants,
    StartState,
    air_share,
    control_share,
    drum_share,
    heat_share,
)
from firnel.core.model.flows import shares_after
from firnel.core.model.simulation import carry_on, idle, simulate, start_state
from firnel.core.vocabulary import USUAL_CONTROLS, ControlScale, Machine

MACHINE = MachineConstants(
    power=16.0,
    steel_share=0.35,
    heat_lag=9.0,
    steel_capacity=20.0,
    steel_air=0.06,
    steel_loss=0.008,
    air_flow=0.040,
    air_leak=0.15,
    bean_air=0.0085,
    bean_steel=0.0036,
    probe_lag=26.0,
    probe_pull=0.05,
    bare_pull=0.2,
    air_probe_lag=10.0,
    air_probe_steel=0.1,
    full_load=5.0,
)
LOAD = LoadState(5.0, 0.11)
START = StartState(steel_c=210.0, bean_probe_c=200.0, air_probe_c=205.0)
KPA = ControlScale("kPa", 0.0, 4.0, 0.1, least=0.3)


def steady(count, heat=0.72, air=0.5, drum=1.0):
    return Hands(np.full(count, heat), np.full(count, air), np.full(count, drum))


def test_the_same_equations_by_scipy_give_the_same_roast():
    """An outside integrator (scipy.integrate.solve_ivp, LSODA) on the equations of physics as written in the docstrings."""
    flow = 0.040 * (0.15 + 0.5)
    bean_air = 5.0 * 0.0085 * (flow / (0.040 * 1.15)) ** 0.7
    bean_steel, through, dry = 5.0 * 0.0036, 1.01 * flow, 5.0 * 0.89

    def air_of(heat, bean, steel):
        total = through + bean_air + 0.06
        return (0.65 * heat + through * 22.0 + bean_air * bean + 0.06 * steel) / total

    def slopes(_t, y):
        heat, bean, moisture, used, steel, probe, air_probe = y
        air = air_of(heat, bean, steel)
        kelvin = bean + 273.15
        drying = 4.32e9 * moisture**2 / 6.2**2 * np.exp(-9889.0 / kelvin)
        own = 0.5 * 116200.0 * np.exp(-5500.0 / kelvin) * (232.0 - used) / 232.0
        into = bean_air * (air - bean) + bean_steel * (steel - bean)
        capacity = 1.099 + 0.0070 * bean + 5.0 * moisture
        return [
            (0.72 * 16.0 - heat) / 9.0,
            (into / dry + own - 2790.0 * drying) / capacity,
            -drying,
            own,
            (0.35 * heat - bean_steel * (steel - bean) - 0.06 * (steel - air) - 0.008 * (steel - 22.0)) / 20.0,
            (bean + 0.05 * (air - bean) - probe) / 26.0,
            (air + 0.1 * (steel - air) - air_probe) / 10.0,
        ]

    begun = [0.0, 22.0, 0.11 / 0.89, 0.0, 210.0, 200.0, 205.0]
    outside = solve_ivp(slopes, (0.0, 600.0), begun, method="LSODA", rtol=1e-8, atol=1e-8)
    half = MachineConstants(**{**vars(MACHINE), "own_heat": 0.5})
    ours = simulate(half, LOAD, START, steady(600), step=1.0)
    assert ours.bean[-1, 0] == pytest.approx(outside.y[1, -1], abs=0.3)
    assert ours.bean_probe[-1, 0] == pytest.approx(outside.y[5, -1], abs=0.3)
    assert ours.air_probe[-1, 0] == pytest.approx(outside.y[6, -1], abs=0.4)
    assert ours.steel[-1, 0] == pytest.approx(outside.y[4, -1], abs=0.3)
    assert ours.moisture[-1, 0] == pytest.approx(outside.y[2, -1], abs=0.0005)


def test_halving_the_step_changes_the_probe_by_less_than_a_twentieth_of_a_degree():
    coarse, fine = simulate(MACHINE, LOAD, START, steady(360), 2.0), simulate(MACHINE, LOAD, START, steady(720), 1.0)
    assert np.abs(coarse.bean_probe - fine.bean_probe[::2]).max() < 0.05


def test_an_inert_bean_in_steady_air_follows_the_exponential_of_a_lumped_body(monkeypatch):
    # Incropera, DeWitt, Fundamentals of Heat and Mass Transfer, 5.1: theta = exp(-h A t / (m c)).
    monkeypatch.setattr(simulation, "BEAN_HEAT", (1.8, 0.0, 0.0))
    values = vars(MACHINE) | {
        "air_flow": 400.0,
        "steel_air": 1e-9,
        "bean_steel": 1e-12,
        "own_heat": 1e-12,
        "evaporation": 1e-12,
    }
    flow = 1.01 * 400.0 * (0.15 + 0.5)
    machine = MachineConstants(**(values | {"heat_lag": 1e-6, "steel_share": 1e-9, "power": 178.0 * flow}))
    burning = StartState(210.0, 200.0, 205.0, heat_share=1.0)
    roast = simulate(machine, LoadState(5.0, 0.11), burning, steady(300, heat=1.0, air=0.5), 2.0)
    rate = 5.0 * 0.0085 * (0.65 / 1.15) ** 0.7 / (5.0 * 0.89 * 1.8)
    expected = 200.0 - (200.0 - 22.0) * np.exp(-rate * roast.t)
    assert np.abs(roast.bean[:, 0] - expected).max() < 0.35


def test_energy_in_is_stored_or_lost_to_half_a_per_cent():
    step, count = 1.0, 600
    odd = replace(MACHINE, bean_heat_130=0.2, bean_heat_155=-0.1, bean_heat_180=-0.25, bean_heat_205=0.1)
    roast = simulate(odd, LOAD, START, steady(count), step)
    bean, steel, moisture = roast.bean[:, 0], roast.steel[:, 0], roast.moisture[:, 0]
    heat = 0.72 * 16.0 * (1.0 - np.exp(-roast.t / 9.0))
    flow, dry = 0.040 * (0.15 + 0.5), 5.0 * 0.89
    bean_air = 5.0 * 0.0085 * (flow / (0.040 * 1.15)) ** 0.7
    air = (0.65 * heat + 1.01 * flow * 22.0 + bean_air * bean + 0.06 * steel) / (1.01 * flow + bean_air + 0.06)
    burnt, up_the_flue = np.trapezoid(heat, roast.t), np.trapezoid(1.01 * flow * (air - 22.0), roast.t)
    through_the_wall = np.trapezoid(0.008 * (steel - 22.0), roast.t)
    left = np.exp(-np.cumsum(0.5 * 116200.0 / 232.0 * np.exp(-5500.0 / (bean + 273.15))) * step)
    own = 0.5 * dry * np.trapezoid(116200.0 * np.exp(-5500.0 / (bean + 273.15)) * left, roast.t)
    more = np.interp(bean, [105.0, 130.0, 155.0, 180.0, 205.0], [0.0, 0.2, -0.1, -0.25, 0.1])
    capacity = (1.099 + 0.0070 * bean + 5.0 * moisture) * (1.0 + more)
    stored = 20.0 * (steel[-1] - steel[0]) + dry * np.sum(0.5 * (capacity[1:] + capacity[:-1]) * np.diff(bean))
    dried = 2790.0 * dry * (moisture[0] - moisture[-1])
    assert burnt + own == pytest.approx(up_the_flue + through_the_wall + stored + dried, rel=0.005)


def test_water_only_leaves_and_never_all_of_it_at_once():
    roast = simulate(MACHINE, LOAD, START, steady(360, heat=1.0))
    assert (np.diff(roast.moisture[:, 0]) <= 0).all()
    assert (roast.moisture > 0).all()


def test_a_probe_has_gone_63_percent_of_a_step_after_its_time_constant():
    # First-order response: 1 - 1/e = 63.2 % at one time constant (any control text; Ogata, Modern Control Engineering, 5-2).
    hot = MachineConstants(**(vars(MACHINE) | {"idle_lag": 40.0, "idle_air": 0.0, "steel_capacity": 1e9, "steel_air": 1e-9}))
    begun = IdleState(np.array([200.0]), np.array([100.0]), np.array([100.0]), np.array([0.0]))
    idled = idle(hot, 22.0, begun, steady(40, heat=0.0), 1.0)
    assert idled.bean_probe[40, 0] == pytest.approx(100.0 + 63.2, abs=0.1)


def test_a_probe_in_a_sheath_answers_a_step_in_two_stages():
    """Two unlike lags in a row: 1 - (a exp(-t/a) - b exp(-t/b))/(a - b) of a step (Ogata, Modern Control Engineering, 5-3)."""
    held = {"probe_lag": 45.0, "probe_sheath": 0.5, "probe_pull": 0.0, "bare_pull": 0.0}
    still = {"bean_air": 1e-12, "bean_steel": 1e-12, "evaporation": 1e-12, "own_heat": 1e-12}
    roast = simulate(replace(MACHINE, **held, **still), LoadState(5.0, green_c=100.0), START, steady(45, heat=0.0))
    a, b, t = 30.0, 15.0, roast.t
    gone = 1.0 - (a * np.exp(-t / a) - b * np.exp(-t / b)) / (a - b)
    assert roast.bean_probe[:, 0] == pytest.approx(200.0 - 100.0 * gone, abs=0.2)


def test_a_burner_is_where_its_lag_has_brought_it_by_the_charge():
    """Off until two seconds after the log begins, then a minute at six tenths: a first-order lag, worked out by hand."""
    slow, hands = replace(MACHINE, heat_lag=120.0, heat_exponent=1.3), steady(31)
    (share,) = shares_after(slow, replace(hands, heat=np.append(0.0, np.full(30, 0.6))), 2.0)
    assert share[0] == pytest.approx((0.6**1.3 * (1.0 - np.exp(-60.0 / 120.0))) ** (1.0 / 1.3))


def test_the_empty_machine_comes_to_rest_where_heat_and_loss_balance():
    begun = IdleState(np.array([150.0]), np.array([150.0]), np.array([150.0]), np.array([0.3 * 16.0]))
    idled = idle(MACHINE, 22.0, begun, steady(6000, heat=0.3), 4.0)
    flow, heat, steel = 0.040 * 0.65, 0.3 * 16.0, idled.steel[-1, 0]
    air = (0.65 * heat + 1.01 * flow * 22.0 + 0.06 * steel) / (1.01 * flow + 0.06)
    assert 0.35 * heat == pytest.approx(0.06 * (steel - air) + 0.008 * (steel - 22.0), abs=0.01)


def test_members_that_begin_later_hold_still_until_then():
    begun = IdleState(np.array([180.0, 180.0]), np.array([170.0, 170.0]), np.array([190.0, 190.0]), np.array([4.0, 4.0]))
    counts = np.ones((30, 2))
    counts[:20, 1] = 0.0
    idled = idle(MACHINE, 22.0, begun, steady(30, heat=0.25), 2.0, counts)
    assert idled.steel[20, 1] == 180.0
    assert idled.bean_probe[20, 1] == 170.0
    assert idled.steel[30, 1] == pytest.approx(idled.steel[10, 0], abs=0.3)


def test_an_ensemble_is_the_same_as_its_members_one_by_one():
    loads, steels = np.array([3.5, 5.0, 5.5]), np.array([190.0, 210.0, 230.0])
    together = simulate(MACHINE, LoadState(loads), StartState(steels, 200.0, 205.0), steady(300), members=3)
    for index, (load, steel) in enumerate(zip(loads, steels, strict=True)):
        alone = simulate(MACHINE, LoadState(load), StartState(steel, 200.0, 205.0), steady(300))
        assert together.bean_probe[:, index] == pytest.approx(alone.bean_probe[:, 0], abs=1e-9)
        assert together.air_probe[:, index] == pytest.approx(alone.air_probe[:, 0], abs=1e-9)


def test_a_roast_carried_on_in_parts_is_the_whole_roast():
    whole = simulate(MACHINE, LOAD, START, steady(200))
    state = start_state(MACHINE, LOAD, START, 1)
    for _ in range(4):
        part = carry_on(MACHINE, LOAD, 22.0, state, steady(50))
        state = part.end
    assert state.bean[0] == pytest.approx(whole.bean[-1, 0], abs=1e-9)
    assert state.bean_probe[0] == pytest.approx(whole.bean_probe[-1, 0], abs=1e-6)


@pytest.mark.parametrize(
    ("what", "higher"),
    [
        pytest.param({"heat": 0.8}, True, id="more gas"),
        pytest.param({"air": 1.0}, False, id="much more air, late"),
    ],
)
def test_hands_push_the_way_a_roaster_knows(what, higher):
    usual, other = simulate(MACHINE, LOAD, START, steady(300)), simulate(MACHINE, LOAD, START, steady(300, **what))
    assert (other.bean_probe[-1, 0] > usual.bean_probe[-1, 0]) == higher


@pytest.mark.parametrize(
    "load",
    [LoadState(0.02, 0.11), LoadState(50.0, 0.11), LoadState(5.0, 0.02), LoadState(5.0, 0.6), LoadState(5.0, 0.11, 2.0)],
    ids=["a handful", "ten loads", "bone dry", "soaked", "tiny beans"],
)
@pytest.mark.parametrize("heat", [0.0, 1.0])
def test_nothing_blows_up_whatever_is_charged(load, heat):
    roast = simulate(MACHINE, load, StartState(400.0, 200.0, 205.0), steady(600, heat=heat))
    for series in (roast.bean, roast.bean_probe, roast.air_probe, roast.steel, roast.moisture):
        assert np.isfinite(series).all()
    assert roast.bean.max() < 1500.0


@pytest.mark.parametrize(
    ("load", "step", "words"),
    [
        (LoadState(0.0), 2.0, "mass_kg"),
        (LoadState(np.array([5.0, -1.0])), 2.0, "mass_kg"),
        (LOAD, 0.0, "step"),
        (LOAD, 6.0, "step"),
    ],
)
def test_what_cannot_be_simulated_is_refused_by_name(load, step, words):
    with pytest.raises(ValueError, match=words):
        simulate(MACHINE, load, START, steady(10), step, members=2)


def test_heat_goes_with_the_square_root_of_the_gauge_pressure():
    # Orifice law, ISO 5167-1:2003: the flow goes with the root of the pressure difference; a quarter of it gives half.
    assert heat_share(np.array([1.0, 4.0]), KPA) == pytest.approx([0.5, 1.0])
    assert heat_share(np.array([0.1]), KPA)[0] > 0.0, "below the least it burns, as logs show: never silently no heat"


def test_electric_heat_goes_straight_with_the_dial():
    dial = ControlScale("%", 0.0, 100.0, 5.0)
    assert heat_share(np.array([25.0, 50.0]), dial, "electric") == pytest.approx([0.25, 0.5])


def test_air_goes_with_the_root_of_a_draft_and_straight_with_a_dial():
    # Bernoulli: velocity goes with the root of the pressure.
    for unit in ("Pa", "inH2O", "mbar"):
        assert air_share(np.array([30.0]), ControlScale(unit, 0.0, 120.0, 5.0)) == pytest.approx([0.5])
    assert air_share(np.array([30.0]), ControlScale("%", 0.0, 100.0, 1.0)) == pytest.approx([0.3])


def test_a_drum_that_is_not_read_turns_as_usual():
    scale = ControlScale("rpm", 30.0, 80.0, 1.0)
    assert drum_share(np.array([np.nan, 60.0]), scale) == pytest.approx([1.0, 1.0])
    machine = Machine("", "", controls=dict.fromkeys(USUAL_CONTROLS, scale))
    for control in USUAL_CONTROLS:
        assert control_share(machine, control, np.array([60.0])).shape == (1,)


def test_readings_that_are_missing_count_as_no_heat_and_never_as_nan():
    assert np.isfinite(heat_share(np.array([np.nan, 2.0]), KPA)).all()
    assert np.isfinite(air_share(np.array([np.nan]), KPA)).all()
