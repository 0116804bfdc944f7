"""Scores, blind tests, serving and control charts, against published tables and worked examples."""

import numpy as np
import pytest
from scipy import stats

from firnel.core.cup.agreement import agreement
from firnel.core.cup.difference import judge, least_correct
from firnel.core.cup.scores import BY_CUP, SCORED, SECTIONS, Defects, check_part, score
from firnel.core.cup.serving import balanced_orders, draw_codes, paired_servings, triangle_servings
from firnel.core.review.charts import capability, individuals_chart

RNG = np.random.default_rng(3)


def test_ten_attributes_add_up_to_the_published_sum():
    # The published form, from memory: seven at 8 points and three at 10 make 86; a fault in two of five cups costs 8.
    given = dict.fromkeys(SCORED, 8.0) | dict.fromkeys(BY_CUP, 10.0)
    assert score("attributes", given) == 86.0
    assert score("attributes", given, Defects(1, 2)) == 76.0
    assert score("attributes", given, Defects(1, 0), cups=2) == 81.0, "of two cups one counts for two and a half"
    assert score("attributes", {k: v for k, v in given.items() if k != "body"}) is None


@pytest.mark.parametrize(("each", "total"), [(9, 100.0), (5, 79.0), (1, 58.0)])
def test_eight_sections_make_the_published_affective_score(each, total):
    assert score("affective", dict.fromkeys(SECTIONS, each)) == total  # 58 to 100: coffee value standard, from memory
    assert score("affective", dict.fromkeys(SECTIONS, each), Defects(1, 1)) == total - 6.0


@pytest.mark.parametrize(
    ("form", "part", "value"),
    [("attributes", "flavour", 5.5), ("attributes", "flavour", 8.1), ("affective", "aroma", 10.0), ("affective", "crema", 5.0)],
)
def test_figures_that_a_form_does_not_have_are_refused(form, part, value):
    with pytest.raises(ValueError, match=part):
        check_part(form, part, value)


def test_no_more_cups_are_defective_than_stand_on_the_table():
    with pytest.raises(ValueError, match="of 2 on the table"):
        score("affective", {}, Defects(2, 1), cups=2)


@pytest.mark.parametrize(
    ("test", "answers", "needed"),
    [
        # ISO 4120:2021 table A.1, alpha 0.05; from memory of it.
        ("triangle", 6, 5), ("triangle", 12, 8), ("triangle", 18, 10), ("triangle", 24, 13), ("triangle", 30, 15),
        # ISO 5495 table of one-sided paired tests, alpha 0.05; from memory of it.
        ("paired", 7, 7), ("paired", 10, 9), ("paired", 20, 15), ("paired", 30, 20),
    ],
)  # fmt: skip
def test_the_least_correct_answers_are_those_of_the_published_tables(test, answers, needed):
    assert least_correct(test, answers) == needed
    assert judge(test, answers, needed).shown
    assert not judge(test, answers, needed - 1).shown
    chance = {"triangle": 1 / 3, "paired": 1 / 2}[test]
    assert judge(test, answers, needed).p == pytest.approx(stats.binom.sf(needed - 1, answers, chance))


def test_a_verdict_says_what_a_small_panel_could_have_found():
    assert "only a large one" in judge("triangle", 6, 3).words
    assert "None could" in judge("triangle", 2, 2).words or "none could" in judge("triangle", 2, 1).words
    assert "four tests of five" in judge("triangle", 60, 22).words
    assert "A difference is shown" in judge("triangle", 24, 18).words
    with pytest.raises(ValueError, match="7 right of 6"):
        judge("paired", 6, 7)


def test_codes_are_three_digits_and_differ():
    codes = draw_codes(200, RNG, taken=("482",))
    assert len(set(codes)) == 200
    assert all(len(code) == 3 and code != "482" for code in codes)
    with pytest.raises(ValueError, match="cannot be drawn"):
        draw_codes(2000, RNG)


@pytest.mark.parametrize("coffees", [2, 3, 4, 5, 6])
def test_every_coffee_comes_equally_often_at_every_place_and_after_every_other(coffees):
    rounds = coffees * (2 if coffees % 2 else 1)
    orders = balanced_orders(coffees, rounds, RNG)
    for place in range(coffees):
        counts = np.bincount([order[place] for order in orders], minlength=coffees)
        assert len(set(counts)) == 1
    after = np.zeros((coffees, coffees), int)
    for order in orders:
        for before, behind in zip(order, order[1:], strict=False):
            after[before, behind] += 1
    assert len(set(after[~np.eye(coffees, dtype=bool)])) == 1


def test_servings_of_a_test_are_balanced():
    assert sorted(triangle_servings(12, RNG)) == sorted(("AAB", "ABA", "BAA", "ABB", "BAB", "BBA") * 2)
    assert sorted(paired_servings(4, RNG)) == ["AB", "AB", "BA", "BA"]
    with pytest.raises(ValueError, match="no test"):
        triangle_servings(0, RNG)


def test_agreement_is_kendalls_w_and_knows_who_scores_high():
    base = np.array([84.0, 86.0, 82.0, 88.0])
    told = agreement(np.stack([base, base + 2.0, base + 0.25]))
    assert told.w == pytest.approx(1.0)
    assert told.bias[1] > 1.0
    assert "agree well" in told.words
    table = np.array([[1, 2, 3, 4, 5], [2, 1, 3, 5, 4], [1, 3, 2, 4, 5.0]])
    # W from Friedman's chi-square of SciPy: W = chi2 / (m (n - 1)).
    assert agreement(table).w == pytest.approx(stats.friedmanchisquare(*table.T).statistic / (3 * 4))
    assert agreement(np.array([[84.0, 85.0]])) is None
    half = np.vstack([table, [1.0, np.nan, np.nan, np.nan, np.nan]])
    assert agreement(half).w == pytest.approx(agreement(table).w), "who left the table is not ranked"


def test_the_individuals_chart_is_that_of_the_handbook():
    # NIST/SEMATECH e-Handbook 6.3.2.2: flow rates of ten batches.
    flow = np.array([49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1])
    chart = individuals_chart(flow)
    assert chart.centre == pytest.approx(50.81)
    assert chart.range_centre == pytest.approx(1.8778, abs=1e-4)
    assert (chart.high, chart.low) == (pytest.approx(55.8041, abs=1e-3), pytest.approx(45.8159, abs=1e-3))
    assert chart.in_control


def test_run_rules_fire_where_they_should():
    rng = np.random.default_rng(1)
    quiet = rng.normal(0.0, 1.0, 30)
    assert 1 in {signal.rule for signal in individuals_chart(np.append(quiet, 9.0)).signals}
    shifted = np.concatenate([quiet, rng.normal(1.6, 0.5, 12)])
    assert {signal.rule for signal in individuals_chart(shifted, base=30).signals} & {3, 4}
    trend = np.concatenate([quiet, [-0.75, -0.45, -0.15, 0.15, 0.45, 0.75]])
    assert any(signal.rule == 5 and signal.index == 35 for signal in individuals_chart(trend, base=30).signals)
    assert individuals_chart(np.array([2.0, 2.0, 2.0])).in_control
    with pytest.raises(ValueError, match="two values"):
        individuals_chart(np.array([1.0]))


def test_capability_is_that_of_the_handbook():
    # NIST/SEMATECH e-Handbook 6.1.6: limits 8 and 20, mean 16, sigma 2: Cp 1.0, Cpk 0.6667; target 14: Cpm 0.7071.
    values = 16.0 + 2.0 * np.array([-1.0, 1.0]) / np.std([-1.0, 1.0], ddof=1)
    told = capability(values, 8.0, 20.0)
    assert (told.cp, told.cpk) == (pytest.approx(1.0), pytest.approx(0.66667, abs=1e-4))
    assert told.cpm == pytest.approx(1.0 / np.sqrt(1.0 + 1.0), abs=1e-4)
    assert "mean is off" in told.words
    assert capability(np.array([14.0, 14.0]), 8.0, 20.0).cpk == float("inf")
