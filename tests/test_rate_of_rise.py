import numpy as np
import pytest
from scipy.signal import savgol_filter

from firnel.core.known_course import Course, live_rate_on_course
from firnel.core.rate_of_rise import RateOfRiseFilter, RateTuning, live_rate_of_rise, smooth_rate_of_rise
from firnel.core.vocabulary import Control
from firnel.devices.simulator.kinds import KINDS
from firnel.devices.simulator.physics import DrumRoaster, GreenLoad


def noisy_roast(seed=3, step=1.0, noise=0.25):
    """A simulated roast: times, noisy readings, and the true probe and its true rate."""
    roaster = DrumRoaster(KINDS["gas-6"], np.random.default_rng(seed), steel_c=208.0)
    roaster.set(Control.AIRFLOW, 40)
    roaster.charge(GreenLoad(5.0))
    roaster.set(Control.GAS, 2.2)
    rng = np.random.default_rng(seed)
    t, bean = [], []
    while roaster.t < 600:
        roaster.step(step)
        t.append(roaster.t)
        bean.append(roaster.bean_probe_c)
    t, bean = np.array(t), np.array(bean)
    return t, np.round(bean + noise * rng.standard_normal(t.size), 1), bean, 60 * np.gradient(bean, t)


def trailing_difference(t, bean, seconds=30.0):
    back = np.searchsorted(t, t - seconds)
    with np.errstate(divide="ignore", invalid="ignore"):
        return 60 * (bean - bean[back]) / (t - t[back])


def test_a_straight_line_has_its_slope_as_rate():
    t = np.arange(0, 200, 1.0)
    rate = live_rate_of_rise(t, 100 + t * 12 / 60)
    assert rate.c_per_min[-1] == pytest.approx(12.0, abs=0.2)
    assert 0 < rate.sd[-1] < 2.0


def test_the_live_rate_is_closer_to_the_truth_than_half_of_a_trailing_difference():
    ratios = []
    for seed in range(3):
        t, seen, _, truth = noisy_roast(seed)
        late = t > 110
        live = live_rate_of_rise(t, seen, 0.0).c_per_min
        error = np.sqrt(np.mean((live - truth)[late] ** 2))
        ratios.append(error / np.sqrt(np.mean((trailing_difference(t, seen) - truth)[late] ** 2)))
    assert np.mean(ratios) < 0.5


def test_the_smoother_agrees_with_savitzky_golay_on_even_data():
    # Outside reference: scipy.signal.savgol_filter, window of 31 s, cubic, on the same even readings.
    t, seen, _, _ = noisy_roast()
    smooth = smooth_rate_of_rise(t, seen, 0.0).c_per_min
    reference = 60 * savgol_filter(seen, 31, 3, deriv=1, delta=1.0)
    middle = (t > 150) & (t < 580)
    assert np.sqrt(np.mean((smooth - reference)[middle] ** 2)) < 0.8  # a 31 s window lets through some 0.6 degC/min of noise


def test_the_smoother_is_closer_to_the_truth_than_the_live_filter():
    t, seen, _, truth = noisy_roast()
    late = t > 110
    live, smooth = (np.abs(f(t, seen, 0.0).c_per_min - truth)[late].mean() for f in (live_rate_of_rise, smooth_rate_of_rise))
    assert smooth < 0.6 * live


def test_a_spike_is_held_back_and_hardly_moves_the_rate():
    t, seen, _, _ = noisy_roast()
    spiked = seen.copy()
    spiked[400] += 120.0
    clean, dirty = live_rate_of_rise(t, seen, 0.0), live_rate_of_rise(t, spiked, 0.0)
    assert np.abs(dirty.c_per_min - clean.c_per_min)[400:].max() < 0.6
    assert dirty.level[400] < seen[400] + 2


def test_a_true_step_is_believed_after_a_few_readings():
    t = np.arange(0, 120, 1.0)
    bean = np.where(t < 60, 100.0, 140.0)
    assert live_rate_of_rise(t, bean).level[74] == pytest.approx(140.0, abs=2.0), "a leap, when it has stayed"
    bean = np.where(t < 60, 100.0, 112.0)
    assert live_rate_of_rise(t, bean).level[66] == pytest.approx(112.0, abs=2.0), "a step, at once"


@pytest.mark.parametrize("step", [0.5, 1.0])
def test_a_loose_wire_that_throws_the_probe_to_and_fro_for_a_while_is_not_followed(step):
    t = np.arange(0.0, 400.0, step)
    seen = 90.0 + 100.0 * (1.0 - np.exp(-t / 300.0))
    rng = np.random.default_rng(5)
    thrown = seen.copy()
    loose = (t >= 150.0) & (t < 190.0) & (rng.random(t.size) < 0.5)
    thrown[loose] += rng.choice([-60.0, 80.0], t.size)[loose]
    level = live_rate_of_rise(t, thrown, 0.0).level
    assert np.abs(level - seen)[t > 60.0].max() < 3.0


def test_ten_seconds_without_readings_widen_the_uncertainty_and_nothing_else():
    t, seen, _, truth = noisy_roast()
    gap = (t > 300) & (t < 310)
    missing = np.where(gap, np.nan, seen)
    rate = live_rate_of_rise(t, missing, 0.0)
    assert np.isfinite(rate.c_per_min).all()
    assert rate.sd[309] > rate.sd[299]
    assert abs(rate.c_per_min[320] - truth[320]) < 3.0
    left_out = live_rate_of_rise(t[~gap], seen[~gap], 0.0)
    assert left_out.c_per_min[-1] == pytest.approx(rate.c_per_min[-1], abs=0.1)


def test_uneven_sampling_gives_the_same_rate_as_even():
    t, _, bean, truth = noisy_roast()
    rng = np.random.default_rng(0)
    keep = np.sort(rng.choice(t.size, t.size // 2, replace=False))
    rate = live_rate_of_rise(t[keep], bean[keep], 0.0)
    late = t[keep] > 150
    assert np.abs(rate.c_per_min - truth[keep])[late].mean() < 0.5


def test_a_flick_after_a_move_shows_within_seconds():
    t = np.arange(0, 300, 1.0)
    rate = np.where(t < 200, 8.0, 14.0)
    bean = 100 + np.cumsum(rate) / 60
    live = live_rate_of_rise(t, bean + 0.1 * np.random.default_rng(1).standard_normal(t.size), moves_t=(200.0,))
    assert live.c_per_min[212] > 11.0


def test_time_going_backwards_is_refused():
    rate_filter = RateOfRiseFilter()
    rate_filter.update(10.0, 100.0)
    with pytest.raises(ValueError, match="time goes backwards: 9.000 s after 10.000 s"):
        rate_filter.update(9.0, 100.0)


def test_nothing_but_missing_readings_gives_no_level_and_no_error():
    rate = smooth_rate_of_rise(np.arange(5.0), np.full(5, np.nan))
    assert not np.isfinite(live_rate_of_rise(np.arange(5.0), np.full(5, np.nan)).level).any()
    assert rate.t.size == 5


def test_a_thermometer_that_wanders_is_told_from_a_rate_that_does():
    ratios = {"measured": [], "not": []}
    for seed in range(4):
        t, seen, bean, truth = noisy_roast(seed)
        seen, late = seen + wandering(seed, t.size), t > 150.0
        for name, tuning in (("measured", None), ("not", RateTuning(wander_share=0.0))):
            rate = live_rate_of_rise(t, seen, 0.0, (), tuning).c_per_min
            ratios[name].append(np.sqrt(np.mean((rate - truth)[late] ** 2)))
    assert np.mean(ratios["measured"]) < 0.8 * np.mean(ratios["not"])


# With the air beside it


def moved_roast(seed):
    """The gas is turned down at 300 s and up again at 420 s, and nobody tells: times, readings of beans and air, true rate."""
    roaster = DrumRoaster(KINDS["gas-6"], np.random.default_rng(seed), steel_c=208.0)
    roaster.set(Control.AIRFLOW, 40)
    roaster.charge(GreenLoad(5.0))
    t, seen, air, bean = [], [], [], []
    while roaster.t < 560:
        roaster.set(Control.GAS, 1.2 if 300 < roaster.t <= 420 else 2.2)
        roaster.step(1.0)
        for column, value in zip((t, seen, air, bean), (roaster.t, *roaster.read(), roaster.bean_probe_c), strict=True):
            column.append(value)
    t, seen, air, bean = map(np.array, (t, seen, air, bean))
    return t, seen + wandering(seed, t.size), air, 60 * np.gradient(bean, t)


def off_by(rate, truth, late):
    return np.sqrt(np.mean((rate - truth)[late] ** 2))


def test_the_air_tells_of_the_rate_before_the_beans_do():
    alone, aired = [], []
    for seed in range(3):
        t, seen, air, truth = moved_roast(seed)
        for rates, over in ((alone, None), (aired, air)):
            rates.append(off_by(live_rate_of_rise(t, seen, 0.0, air=over).c_per_min, truth, t > 150.0))
    assert np.mean(aired) < 0.85 * np.mean(alone)


@pytest.mark.parametrize("trouble", ["thrown", "gone", "away", "frozen", "below the beans"])
def test_an_air_probe_that_is_not_to_be_trusted_does_no_harm(trouble):
    t, seen, air, truth = moved_roast(1)
    broken, late = air.copy(), t > 150.0
    if trouble == "thrown":
        at = np.random.default_rng(2).choice(np.flatnonzero(late), 20, replace=False)
        broken[at] += 200.0
    elif trouble == "away":
        broken[(t > 290.0) & (t < 350.0)] = np.nan  # and back when the beans have told what it would have
    elif trouble == "below the beans":
        broken = seen - 30.0
    else:
        broken[t > 250.0] = np.nan if trouble == "gone" else broken[249]
    alone = off_by(live_rate_of_rise(t, seen, 0.0).c_per_min, truth, late)
    assert off_by(live_rate_of_rise(t, seen, 0.0, air=broken).c_per_min, truth, late) < 1.1 * alone


def test_what_the_air_does_not_tell_still_shows_within_twenty_seconds():
    t, bean, _, _ = known_roast()
    lost = bean - np.clip(t - 450.0, 0.0, 60.0) * 6.0 / 60.0
    noise, air = wandering(4, t.size), bean + 60.0 - t / 30.0
    had, came = (live_rate_of_rise(t, curve + noise, 0.0, air=air).c_per_min for curve in (bean, lost))
    assert came[470] - had[470] < -3.0, "half of six degrees a minute"


@pytest.mark.parametrize("air", ["noisy", "unrelated"])
def test_air_that_foretells_nothing_is_not_believed_where_the_beans_are_read_well(air):
    t, bean, truth, _ = known_roast()
    worse = []
    for seed in range(4):
        rng = np.random.default_rng(seed)
        thrown = rng.standard_normal(t.size)
        over = bean + 60.0 - t / 30.0 + 4.0 * thrown if air == "noisy" else 230.0 + 2.0 * np.cumsum(thrown)
        rates = [live_rate_of_rise(t, bean + 0.1 * rng.standard_normal(t.size), 0.0, air=one).c_per_min for one in (None, over)]
        alone, aired = (off_by(rate, truth, t > 200.0) for rate in rates)
        worse.append(aired / alone)
    assert np.mean(worse) < 1.2, "1.6 to 1.8 where the air always leads"


# With a model beside it


def wandering(seed, size, by=0.35, over=5.0):
    """A thermometer that wanders: white noise through a first-order lag."""
    rng, keep = np.random.default_rng(seed), np.exp(-1.0 / over)
    found = np.zeros(size)
    for index in range(1, size):
        found[index] = keep * found[index - 1] + by * np.sqrt(1 - keep**2) * rng.standard_normal()
    return found


def known_roast():
    """A rate that falls and is turned up by a move at 300 s; the model knows that, and is off by a slow swing of 0.5 K/min."""
    t = np.arange(0.0, 600.0)
    truth = 14.0 - t / 60.0 + np.where(t > 300.0, 3.0 * (1.0 - np.exp(-(t - 300.0) / 25.0)), 0.0)
    bean = 90.0 + np.cumsum(truth) / 60.0
    course = Course(t, bean + 0.5 / 60.0 * 80.0 * np.sin(t / 80.0))
    return t, bean, truth, course


def test_with_a_model_beside_it_the_rate_wanders_less_than_any_filter_lets_it():
    t, bean, truth, course = known_roast()
    seen, late = bean + wandering(3, t.size), t > 120.0
    alone = live_rate_of_rise(t, seen, 0.0, (300.0,)).c_per_min
    joined = live_rate_on_course(t, seen, 0.0, (300.0,), course)
    off = [np.sqrt(np.mean((rate - truth)[late] ** 2)) for rate in (alone, joined)]
    assert off[1] < 0.85 * off[0]


def test_what_the_model_does_not_know_still_shows_within_fifteen_seconds():
    t, bean, _, course = known_roast()
    lost = bean - np.clip(t - 400.0, 0.0, 60.0) * 6.0 / 60.0
    noise = wandering(4, t.size)
    had, came = (live_rate_on_course(t, curve + noise, 0.0, (300.0,), course) for curve in (bean, lost))
    assert came[415] - had[415] < -3.0, "half of six degrees a minute"


def test_a_model_that_is_far_off_is_not_gone_by():
    t, bean, _, _ = known_roast()
    wrong = Course(t, np.full(t.size, bean[0]))
    seen = bean + wandering(5, t.size)
    joined, alone = live_rate_on_course(t, seen, 0.0, (300.0,), wrong), live_rate_of_rise(t, seen, 0.0, (300.0,)).c_per_min
    assert np.abs(joined - alone)[150:].max() < 0.5, "a model that says nought where there are ten"
    short = Course(t[:200], bean[:200])
    assert np.isfinite(live_rate_on_course(t, seen, 0.0, (300.0,), short)).all(), "behind its end the readings go on alone"
