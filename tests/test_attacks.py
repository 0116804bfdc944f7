"""A short form of the attacks in bench/: nothing goes wrong on the worst files, libraries, disks, moments and machines."""

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))

import attack


@pytest.mark.parametrize("name", list(attack.ATTACKS))
def test_nothing_is_lost_and_nothing_absurd_is_taken(name, tmp_path, capsys):
    found = attack.ATTACKS[name](tmp_path, True)
    assert found.counts, "something was attacked"
    assert not found.wrong
