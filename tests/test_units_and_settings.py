import errno
import json
from dataclasses import fields

import pytest
from PyQt6.QtWidgets import QLabel

from firnel.app.first import make_application
from firnel.app.window import make_window
from firnel.core.units import CHOICES, Units, clock, linear_map
from firnel.ui.theme.look import Look
from firnel.work.settings import Settings, load_settings, save_settings

# NIST SP 811 (2008), Appendix B.8 and B.9, factors as printed: inch of water (conventional) to pascal, pound to kilogram,
# millibar to pascal; degree Fahrenheit by its formula t/degC = (t/degF - 32)/1.8.
NIST = [
    pytest.param("inH2O", "Pa", 249.0889, 1e-4, id="inch of water, conventional"),
    pytest.param("lb", "kg", 0.45359237, 1e-9, id="pound"),
    pytest.param("mbar", "Pa", 100.0, 1e-9, id="millibar"),
    pytest.param("kPa", "Pa", 1000.0, 1e-9, id="kilopascal"),
]


@pytest.mark.parametrize(("unit", "shown", "factor", "tolerance"), NIST)
def test_factors_are_those_of_the_nist_guide(unit, shown, factor, tolerance):
    assert linear_map(unit, shown) == (pytest.approx(factor, rel=tolerance), pytest.approx(0.0, abs=1e-9))


def test_fahrenheit_has_its_offset():
    units = Units(temperature="°F")
    assert units.show(100.0, "°C") == pytest.approx(212.0)
    assert units.show_difference(10.0) == pytest.approx(18.0)
    assert units.read(392.0, "°C") == pytest.approx(200.0)
    assert units.rate_text(5.0) == "9.0 °F/min"


@pytest.mark.parametrize("mass", CHOICES["mass"])
@pytest.mark.parametrize("pressure", CHOICES["pressure"])
def test_what_is_shown_and_typed_again_is_the_same(mass, pressure):
    units = Units("°F", mass, pressure)
    for value, unit in ((4.35, "kg"), (2.4, "kPa"), (50.0, "Pa"), (201.5, "°C"), (12.0, "mbar")):
        assert units.read(units.show(value, unit), unit) == pytest.approx(value)


def test_a_pressure_is_told_as_its_gauge_reads_unless_another_unit_was_chosen():
    assert [Units().text(8.25, unit) for unit in ("mbar", "inH2O", "kPa")] == ["8.2 mbar", "8.25 inH2O", "8.25 kPa"]
    assert Units(pressure="kPa").text(8.3, "mbar") == "0.83 kPa"


def test_a_small_draft_stays_in_pascal_only_beside_kilopascal():
    assert Units(pressure="kPa").text(50.0, "Pa") == "50 Pa"
    assert Units(pressure="mbar").text(50.0, "Pa") == "0.5 mbar"


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("10 lbs", "kg", 4.5359237), ("5,5 KG", "kg", 5.5), ("800g", "kg", 0.8), ("11", "kg", 4.98951607),
        ("20 mbar", "kPa", 2.0), ("4.5 kpa", "kPa", 4.5), ("392 F", "°C", 200.0), ("392°", "°C", 200.0),
        ("200 °C", "°C", 200.0),
    ],
)  # fmt: skip
def test_a_unit_that_is_typed_behind_a_figure_counts_and_else_the_one_shown(text, unit, value):
    """A pound is 0.45359237 kg, a millibar 0.1 kPa: NIST SP 811, appendix B.8."""
    assert Units("°F", "lb").typed(text, unit) == pytest.approx(value, abs=1e-6)


@pytest.mark.parametrize("text", ["5 °C", "5 kg kg", "5 stone", "kg", "5..5"])
def test_what_is_no_figure_of_a_weight_is_refused(text):
    with pytest.raises(ValueError, match="\\S"):
        Units().typed(text, "kg")


def test_units_that_do_not_measure_the_same_are_refused():
    with pytest.raises(ValueError, match="do not measure the same"):
        linear_map("kg", "kPa")
    with pytest.raises(ValueError, match="no conversion"):
        linear_map("furlong", "kg")


@pytest.mark.parametrize(("seconds", "text"), [(59.6, "1:00"), (0.2, "0:00"), (-0.2, "0:00"), (3600, "60:00"), (None, "–")])
def test_clocks_round_to_whole_seconds(seconds, text):
    assert clock(seconds) == text


def test_unknown_figures_are_a_dash_and_never_nan():
    assert Units().text(None, "kg") == "–"
    assert Units().text(float("nan"), "°C") == "–"
    assert Units().rate_text(float("nan")) == "–"


def test_settings_come_back_as_they_were_saved(tmp_path):
    path = tmp_path / "deep" / "settings.json"
    save_settings(Settings(temperature="°F", theme="night", cooling_aim_s=300), path)
    settings, complaint = load_settings(path)
    assert (settings.temperature, settings.theme, settings.cooling_aim_s, complaint) == ("°F", "night", 300, None)


@pytest.mark.parametrize("text", ["not json", json.dumps({"cooling_aim_s": 5}), json.dumps({"mass": "stone"})])
def test_settings_that_cannot_be_read_are_kept_beside_and_told(tmp_path, text):
    path = tmp_path / "settings.json"
    path.write_text(text)
    settings, complaint = load_settings(path)
    assert settings == Settings()
    assert "kept as settings.unread" in complaint
    assert (tmp_path / "settings.unread").read_text() == text


def test_every_setting_with_a_title_has_a_default_inside_its_bounds():
    for declared in fields(Settings):
        assert declared.metadata["title"]
        assert getattr(Settings.from_mapping({declared.name: declared.default}), declared.name) == declared.default


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"theme": "dusk"}, "'dusk' is none of day, night"),
        ({"cooling_aim_s": 1000}, "not between 60 and 900"),
        ({"smell_words": []}, "one to 9 words"),
        ({"colour_words": ["x"] * 10}, "one to 9 words"),
    ],
)
def test_a_setting_out_of_its_bounds_is_refused_by_name(values, words):
    with pytest.raises(ValueError, match=words):
        Settings.from_mapping(values)


def test_settings_of_another_version_are_passed_over():
    assert Settings.from_mapping({"mass": "lb", "colour_of_the_moon": 3}).mass == "lb"


def test_settings_that_cannot_be_written_hold_until_the_end_and_that_is_told(qtbot, library):
    def full(_settings):
        raise OSError(errno.ENOSPC, "No space left on device")

    window = make_window(library, Settings(), Look(make_application()), keep=full)
    qtbot.addWidget(window)
    window.show()
    window.toggle_theme()
    assert window.look.palette.name == window.desk.settings.theme == "night"
    assert "No space left on device. They hold until Firnel ends." in window.notice.findChild(QLabel).text()
